/* The virtual core: dragged round, wheeled, or turned by keys. Tells `turn` by how much; what comes of it is the server's to say. */
(() => {
  const USUAL = 0.05;  // turns, of a touch of a core
  window.CoreDial = class {
    constructor(element, turn) {
      this.element = element; this.turn = turn; this.shown = 0; this.coarse = USUAL; this.fine = USUAL / 5; this.places = 2;
      this.face = element.querySelector('[data-turning]');
      element.addEventListener('wheel', (e) => { e.preventDefault(); this.by((e.deltaY > 0 ? -1 : 1) * this.step(e.shiftKey)); }, { passive: false });
      element.addEventListener('pointerdown', (e) => { element.setPointerCapture(e.pointerId); this.angle = this.angleOf(e); });
      element.addEventListener('pointermove', (e) => {
        if (this.angle === undefined || !element.hasPointerCapture(e.pointerId)) return;
        const next = this.angleOf(e);
        let step = next - this.angle;
        if (step > 0.5) step -= 1;
        if (step < -0.5) step += 1;
        this.angle = next;
        if (step) this.by((e.shiftKey ? step / 5 : step) * (this.coarse < USUAL ? 0.2 : 1));
      });
      element.addEventListener('pointerup', () => { this.angle = undefined; });
    }
    reach({ coarse_turns, fine_turns }) {
      this.coarse = coarse_turns; this.fine = fine_turns; this.places = fine_turns < 0.01 ? 3 : 2;
      this.element.dataset.coarse = coarse_turns; this.element.dataset.fine = fine_turns;
    }
    step(fine) { return fine ? this.fine : this.coarse; }
    angleOf(e) {
      const box = this.element.getBoundingClientRect();
      return Math.atan2(e.clientY - box.top - box.height / 2, e.clientX - box.left - box.width / 2) / (2 * Math.PI);
    }
    key(e) {
      const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
      if (!way) return false;
      this.by(way * this.step(e.shiftKey));
      return true;
    }
    by(turns) { this.shown += turns; this.draw(); this.turn(turns); }
    show(turns) { this.shown = turns; this.draw(); }
    draw() {
      this.face.setAttribute('transform', `rotate(${(this.shown * 360).toFixed(1)})`);
      this.element.setAttribute('aria-valuenow', this.shown.toFixed(this.places));
      this.element.setAttribute('aria-valuetext', `${this.shown.toFixed(2)} turns`);
    }
  };
})();
