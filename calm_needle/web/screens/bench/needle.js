/* The needle: a shallow arc of decibels, drawn for the scale it is given; the pointer glides to each reading. */
(() => {
  const CENTRE = { x: 357, y: 530 }, RADIUS = 464, HALF = 37.7;
  const SVG = 'http://www.w3.org/2000/svg';
  const at = (radius, degrees) => {
    const a = degrees * Math.PI / 180;
    return [CENTRE.x + radius * Math.sin(a), CENTRE.y - radius * Math.cos(a)];
  };
  const put = (parent, name, attributes, text) => {
    const node = document.createElementNS(SVG, name);
    for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
    if (text !== undefined) node.textContent = text;
    parent.append(node);
    return node;
  };
  const signed = (v) => v === 0 ? '0' : (v > 0 ? '+' : '\u2212') + Math.abs(v);

  window.Needle = class {
    constructor(svg) {
      this.svg = svg;
      this.part = (name) => svg.querySelector(`[data-${name}]`);
      this.at = null; this.target = 0; this.wedge = 0; this.moving = false;
      this.calm = matchMedia('(prefers-reduced-motion: reduce)').matches;
    }
    degrees(db) {
      const { low_db, high_db } = this.scale;
      const share = (db - low_db) / (high_db - low_db);
      return -HALF + 2 * HALF * Math.min(1.03, Math.max(-0.03, share));
    }
    setScale(scale) {
      if (this.scale && this.scale.low_db === scale.low_db && this.scale.high_db === scale.high_db) return;
      this.scale = scale;
      const group = this.part('scale');
      group.replaceChildren();
      const [x1, y1] = at(RADIUS, -HALF), [x2, y2] = at(RADIUS, HALF);
      put(group, 'path', { d: `M${x1} ${y1} A${RADIUS} ${RADIUS} 0 0 1 ${x2} ${y2}`, fill: 'none', class: 'stroke-ink', 'stroke-width': 2.4 });
      const minor = scale.step_db / 3;
      const count = Math.round((scale.high_db - scale.low_db) / minor);
      for (let i = 0; i <= count; i++) {
        const db = scale.low_db + i * minor, major = i % 3 === 0, angle = this.degrees(db);
        const [ax, ay] = at(RADIUS, angle), [bx, by] = at(RADIUS + (major ? 21 : 12), angle);
        put(group, 'path', { d: `M${ax} ${ay} L${bx} ${by}`, class: 'stroke-ink', 'stroke-width': major ? 2.2 : 1.2 });
        if (major) {
          const [tx, ty] = at(RADIUS + 40, angle);
          put(group, 'text', { x: tx, y: ty + 6, 'text-anchor': 'middle', 'font-size': 18, 'font-weight': 600, class: 'fill-ink' }, signed(Math.round(db)));
        }
      }
      const start = this.part('start');
      start.replaceChildren();
      const angle = this.degrees(0), [sx, sy] = at(RADIUS - 3, angle), [ex, ey] = at(RADIUS - 20, angle), [wx, wy] = at(RADIUS - 18, angle - 1);
      put(start, 'path', { d: `M${sx} ${sy} L${ex} ${ey}`, class: 'stroke-ink', 'stroke-width': 2, 'stroke-dasharray': '3 3' });
      put(start, 'text', { x: wx, y: wy + 5, 'text-anchor': 'end', 'font-size': 14, class: 'word fill-slate' }, 'start');
      this.draw();
    }
    show(needle) {
      this.setScale(needle.scale);
      this.target = needle.at_db; this.wedge = needle.wedge_db;
      const crest = this.part('crest');
      crest.replaceChildren();
      if (needle.crest_db !== null) {
        const angle = this.degrees(needle.crest_db), [tx, ty] = at(RADIUS - 22, angle);
        put(crest, 'path', { d: 'M0 -13 L9 8 H-9 Z', transform: `translate(${tx} ${ty}) rotate(${angle})`, class: needle.crest_seen ? 'fill-ground stroke-moss' : 'fill-ground stroke-ink', 'stroke-width': 2.2 });
      }
      if (this.at === null || this.calm) { this.at = this.target; this.draw(); return; }
      if (!this.moving) { this.moving = true; requestAnimationFrame(() => this.glide()); }
    }
    clear() { this.at = null; this.part('crest').replaceChildren(); this.target = 0; this.wedge = 0; this.draw(); }
    glide() {
      const rest = this.target - this.at;
      this.at += 0.35 * rest;
      if (Math.abs(rest) < 0.004) { this.at = this.target; this.moving = false; }
      this.draw();
      if (this.moving) requestAnimationFrame(() => this.glide());
    }
    draw() {
      if (!this.scale) return;
      const angle = this.degrees(this.at ?? 0);
      this.part('pointer').setAttribute('transform', `rotate(${angle.toFixed(3)} ${CENTRE.x} ${CENTRE.y})`);
      const half = Math.max(0.15, Math.min(8, Math.abs(this.degrees((this.at ?? 0) + this.wedge) - angle)));
      const [ax, ay] = at(RADIUS - 10, -half), [bx, by] = at(RADIUS - 10, half), [cx, cy] = at(RADIUS - 120, half), [dx, dy] = at(RADIUS - 120, -half);
      this.part('wedge').setAttribute('d', `M${ax} ${ay} L${bx} ${by} L${cx} ${cy} L${dx} ${dy} Z`);
    }
  };
})();
