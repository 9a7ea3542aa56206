/* The virtual core: dragged round, wheeled, or turned by keys. Tells `turn` by how much; what comes of it is the server's to say. */
(() => {
  const COARSE = 0.05, FINE = 0.01, LONG = 6;  // turns; of what has less travel than LONG, a turn is a lot
  const HAND = 0.0004;  // turns, that a hand with a long tool can still move it by
  window.CoreDial = class {
    constructor(element, turn) {
      this.element = element; this.turn = turn; this.shown = 0; this.travel = LONG; this.places = 2;
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
        if (step) this.by((e.shiftKey ? step / 5 : step) * (this.travel < LONG ? 0.2 : 1));
      });
      element.addEventListener('pointerup', () => { this.angle = undefined; });
    }
    reach(turns) { this.travel = turns ?? LONG; this.places = this.travel < LONG ? 3 : 2; this.element.dataset.coarse = this.step(false); this.element.dataset.fine = this.step(true); }
    step(fine) {
      if (this.travel >= LONG) return fine ? FINE : COARSE;
      return fine ? Math.min(HAND, this.travel * FINE / 20) : this.travel * COARSE / 10;
    }
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
