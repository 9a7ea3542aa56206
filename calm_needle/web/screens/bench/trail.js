/* The trail: the last half minute of the reading (or the typed readings in a row), its crest marked, so that a passed peak
   is seen even after looking away. */
(() => {
  const SVG = 'http://www.w3.org/2000/svg', SPAN_S = 30, TOP = 22, BOTTOM = 122;
  const put = (parent, name, attributes, text) => {
    const node = document.createElementNS(SVG, name);
    for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
    if (text !== undefined) node.textContent = text;
    parent.append(node);
    return node;
  };
  const signed = (v) => v === 0 ? '0' : (v > 0 ? '+' : '\u2212') + Math.abs(v);

  window.Trail = class {
    constructor(svg, live) {
      this.svg = svg; this.live = live; this.points = []; this.low = -1; this.high = 3; this.drawn = 0;
      this.width = svg.viewBox.baseVal.width - 62;
    }
    reset(points) { this.points = points.slice(); this.draw(null); }
    add(point, needle) {
      if (this.points.length && this.points[this.points.length - 1].at === point.at) return;
      this.points.push(point);
      if (this.points.length > 900) this.points.splice(0, 300);
      // Ten times a second is plenty for a trail; the needle has the rest.
      const now = performance.now();
      if (this.live && now - this.drawn < 95) return;
      this.drawn = now;
      this.draw(needle);
    }
    draw(needle) {
      const last = this.points[this.points.length - 1];
      const shown = !last ? [] : this.live ? this.points.filter((p) => p.at > last.at - SPAN_S) : this.points.slice(-24);
      const levels = shown.map((p) => p.db);
      const low = Math.min(0, ...levels), high = Math.max(1, ...levels);
      const step = [0.5, 1, 2, 3, 5, 10, 20].find((s) => (high - low) / s <= 3.2) ?? 20;
      const bottom = Math.floor(low / step) * step, top = Math.ceil((high + 0.02) / step) * step;
      const y = (db) => BOTTOM - (db - bottom) / (top - bottom) * (BOTTOM - TOP);
      const x = (p, i) => this.live ? this.width * (1 - (last.at - p.at) / SPAN_S) : (shown.length < 2 ? this.width / 2 : 8 + (this.width - 16) * i / Math.max(11, shown.length - 1));
      this.svg.replaceChildren();
      for (let db = bottom; db <= top + 1e-9; db += step) {
        put(this.svg, 'path', { d: `M0 ${y(db)} H${this.width}`, class: 'stroke-rule', 'stroke-width': 1 });
        put(this.svg, 'text', { x: this.width + 60, y: y(db) + 4, 'text-anchor': 'end', 'font-size': 13, class: 'fill-slate' }, `${signed(Math.round(db * 10) / 10)} dB`);
      }
      if (!shown.length) return;
      const path = shown.map((p, i) => `${i ? 'L' : 'M'}${x(p, i).toFixed(1)} ${y(p.db).toFixed(1)}`).join(' ');
      put(this.svg, 'path', { d: path, fill: 'none', class: 'stroke-ink', 'stroke-width': 2, 'stroke-linejoin': 'round' });
      if (!this.live) for (const [i, p] of shown.entries()) put(this.svg, 'circle', { cx: x(p, i), cy: y(p.db), r: 3, class: 'fill-ink' });
      if (needle && needle.crest_seen && needle.crest_at) {
        const i = shown.findIndex((p) => p.at >= needle.crest_at);
        if (i >= 0) {
          const cx = x(shown[i], i), cy = y(needle.crest_db), ago = Math.round(last.at - needle.crest_at);
          put(this.svg, 'circle', { cx, cy, r: 5, class: 'fill-ground stroke-ink', 'stroke-width': 2 });
          put(this.svg, 'text', { x: Math.min(Math.max(cx, 60), this.width - 60), y: Math.max(12, cy - 11), 'text-anchor': 'middle', 'font-size': 14, class: 'word fill-slate' }, this.live ? `crest, ${ago} s ago` : 'crest');
        }
      }
      put(this.svg, 'circle', { cx: x(last, shown.length - 1), cy: y(last.db), r: 5, class: 'fill-kingfisher' });
    }
  };
})();
