/* The needle: a shallow arc, drawn for the scale it is given; the pointer glides to each reading. */
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
  const signed = (v, plus) => v === 0 ? '0' : (v > 0 ? (plus ? '+' : '') : '\u2212') + Math.abs(v);

  window.Needle = class {
    constructor(svg) {
      this.svg = svg;
      this.part = (name) => svg.querySelector(`[data-${name}]`);
      this.at = null; this.target = 0; this.wedge = 0; this.moving = false;
      this.calm = matchMedia('(prefers-reduced-motion: reduce)').matches;
    }
    degrees(value) {
      const { low, high } = this.scale;
      const share = (value - low) / (high - low);
      return -HALF + 2 * HALF * Math.min(1.03, Math.max(-0.03, share));
    }
    setScale(scale) {
      if (this.scale && ['low', 'high', 'step'].every((k) => this.scale[k] === scale[k])) return;
      this.scale = scale;
      const group = this.part('scale');
      group.replaceChildren();
      const [x1, y1] = at(RADIUS, -HALF), [x2, y2] = at(RADIUS, HALF);
      put(group, 'path', { d: `M${x1} ${y1} A${RADIUS} ${RADIUS} 0 0 1 ${x2} ${y2}`, fill: 'none', class: 'stroke-ink', 'stroke-width': 2.4 });
      const every = Math.round(scale.step / scale.minor), places = Math.max(0, -Math.floor(Math.log10(scale.step) + 1e-9));
      const first = Math.ceil(scale.low / scale.minor - 1e-6), last = Math.floor(scale.high / scale.minor + 1e-6);
      for (let i = first; i <= last; i++) {
        const value = i * scale.minor, major = i % every === 0, angle = this.degrees(value);
        const [ax, ay] = at(RADIUS, angle), [bx, by] = at(RADIUS + (major ? 21 : 12), angle);
        put(group, 'path', { d: `M${ax} ${ay} L${bx} ${by}`, class: 'stroke-ink', 'stroke-width': major ? 2.2 : 1.2 });
        if (major) {
          const [tx, ty] = at(RADIUS + 40, angle);
          put(group, 'text', { x: tx, y: ty + 6, 'text-anchor': 'middle', 'font-size': 18, 'font-weight': 600, class: 'fill-ink' }, signed(Number(value.toFixed(places)), scale.low < 0));
        }
      }
      this.drawn = null;
      this.draw();
    }
    /* Where it began, and the limits that are wanted. */
    marks(needle) {
      const key = [needle.start, needle.low, needle.high, this.scale.low, this.scale.high].join();
      if (key === this.drawn) return;
      this.drawn = key;
      const start = this.part('start'), limits = this.part('limits');
      start.replaceChildren(); limits.replaceChildren();
      if (needle.start !== null && needle.low === null) {
        const angle = this.degrees(needle.start), [sx, sy] = at(RADIUS - 3, angle), [ex, ey] = at(RADIUS - 20, angle), [wx, wy] = at(RADIUS - 18, angle - 1);
        put(start, 'path', { d: `M${sx} ${sy} L${ex} ${ey}`, class: 'stroke-ink', 'stroke-width': 2, 'stroke-dasharray': '3 3' });
        put(start, 'text', { x: wx, y: wy + 5, 'text-anchor': 'end', 'font-size': 14, class: 'word fill-slate' }, 'start');
      }
      if (needle.low !== null && needle.high !== null) {
        const [lx, ly] = at(RADIUS - 9, this.degrees(needle.low)), [hx, hy] = at(RADIUS - 9, this.degrees(needle.high));
        put(limits, 'path', { d: `M${lx} ${ly} A${RADIUS - 9} ${RADIUS - 9} 0 0 1 ${hx} ${hy}`, fill: 'none', class: 'stroke-moss', 'stroke-width': 9 });
        // Beside the limits, where the pointer does not stand when all is well.
        const [wx, wy] = at(RADIUS - 20, this.degrees(needle.high) + 1.2);
        put(limits, 'text', { x: wx, y: wy + 8, 'text-anchor': 'start', 'font-size': 14, class: 'word fill-slate' }, 'wanted');
      }
    }
    show(needle) {
      this.setScale(needle.scale);
      this.marks(needle);
      this.target = needle.at; this.wedge = needle.wedge;
      const crest = this.part('crest');
      crest.replaceChildren();
      if (needle.best !== null) {
        const angle = this.degrees(needle.best), [tx, ty] = at(RADIUS - 22, angle);
        put(crest, 'path', { d: 'M0 -13 L9 8 H-9 Z', transform: `translate(${tx} ${ty}) rotate(${angle})`, class: needle.best_seen ? 'fill-ground stroke-moss' : 'fill-ground stroke-ink', 'stroke-width': 2.2 });
      }
      if (this.at === null || this.calm) { this.at = this.target; this.draw(); return; }
      if (!this.moving) { this.moving = true; requestAnimationFrame(() => this.glide()); }
    }
    clear() { this.at = null; this.drawn = null; for (const name of ['crest', 'start', 'limits']) this.part(name).replaceChildren(); this.target = 0; this.wedge = 0; this.draw(); }
    glide() {
      const rest = this.target - this.at;
      this.at += 0.35 * rest;
      if (Math.abs(rest) < 0.0003 * (this.scale.high - this.scale.low)) { this.at = this.target; this.moving = false; }
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
