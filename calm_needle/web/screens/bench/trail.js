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
  const signed = (v, plus) => v === 0 ? '0' : (v > 0 ? (plus ? '+' : '') : '\u2212') + Math.abs(v);
  // The smallest step of 1, 2 or 5 of which three cover the span.
  const stepFor = (span) => {
    const rough = Math.max(span / 3.2, 1e-12), power = 10 ** Math.floor(Math.log10(rough));
    return [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough * (1 - 1e-9));
  };

  window.Trail = class {
    constructor(svg, live) {
      this.svg = svg; this.live = live; this.points = []; this.unit = 'dB'; this.drawn = 0;
      this.width = svg.viewBox.baseVal.width - 62;
    }
    reset(points, unit, response) { this.points = points.slice(); this.unit = unit; this.response = response; this.draw(null); }
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
    /* A swept response in its place: level over frequency. */
    drawResponse() {
      const points = this.response, high = Math.max(...points.map((p) => p.v)), low = Math.max(high - 40, Math.min(...points.map((p) => p.v)));
      const first = points[0].f, last = points[points.length - 1].f, step = stepFor((last - first) / 1e3 * 0.6) * 1e3;
      const x = (f) => 6 + (this.width - 12) * (f - first) / (last - first || 1), y = (v) => BOTTOM - 18 - (Math.max(v, low) - low) / (high - low || 1) * (BOTTOM - TOP - 18);
      this.svg.replaceChildren();
      for (let v = Math.ceil(low / 10) * 10; v <= high; v += 10) put(this.svg, 'path', { d: `M0 ${y(v)} H${this.width}`, class: 'stroke-rule', 'stroke-width': 1 });
      for (let f = Math.ceil(first / step - 1e-6) * step; f <= last * (1 + 1e-9); f += step) {
        put(this.svg, 'path', { d: `M${x(f)} ${BOTTOM - 18} v5`, class: 'stroke-ink', 'stroke-width': 1 });
        put(this.svg, 'text', { x: Math.min(Math.max(x(f), 24), this.width - 24), y: BOTTOM + 2, 'text-anchor': 'middle', 'font-size': 13, class: 'fill-slate' }, `${Number((f / 1e3).toFixed(2))}`);
      }
      put(this.svg, 'text', { x: this.width + 8, y: BOTTOM + 2, 'font-size': 13, class: 'fill-slate' }, 'kHz');
      put(this.svg, 'text', { x: this.width + 8, y: TOP + 4, 'font-size': 13, class: 'fill-slate' }, `${Number((high - low).toFixed(1))} dB`);
      put(this.svg, 'path', { d: points.map((p, i) => `${i ? 'L' : 'M'}${x(p.f).toFixed(1)} ${y(p.v).toFixed(1)}`).join(' '), fill: 'none', class: 'stroke-ink', 'stroke-width': 2, 'stroke-linejoin': 'round' });
      for (const p of points) put(this.svg, 'circle', { cx: x(p.f), cy: y(p.v), r: points.length > 40 ? 1.5 : 3, class: 'fill-kingfisher' });
    }
    draw(needle) {
      if (this.response?.length > 1) { this.drawResponse(); return; }
      const last = this.points[this.points.length - 1];
      const shown = !last ? [] : this.live ? this.points.filter((p) => p.at > last.at - SPAN_S) : this.points.slice(-24);
      const levels = shown.map((p) => p.v), decibels = this.unit === 'dB';
      const low = Math.min(...(decibels ? [0] : []), ...levels), high = Math.max(...(decibels ? [1] : []), ...levels);
      const step = stepFor(Number.isFinite(high - low) ? Math.max(high - low, Math.abs(high) * 0.02, 1e-9) : 1);
      const bottom = Number.isFinite(low) ? Math.floor(low / step + 1e-9) * step : 0;
      const top = Math.max(bottom + step, Number.isFinite(high) ? Math.ceil(high / step + 0.02) * step : step);
      const places = Math.max(0, -Math.floor(Math.log10(step) + 1e-9));
      const y = (v) => BOTTOM - (v - bottom) / (top - bottom) * (BOTTOM - TOP);
      const x = (p, i) => this.live ? this.width * (1 - (last.at - p.at) / SPAN_S) : (shown.length < 2 ? this.width / 2 : 8 + (this.width - 16) * i / Math.max(11, shown.length - 1));
      this.svg.replaceChildren();
      for (let v = bottom; v <= top + step * 1e-6; v += step) {
        put(this.svg, 'path', { d: `M0 ${y(v)} H${this.width}`, class: 'stroke-rule', 'stroke-width': 1 });
        put(this.svg, 'text', { x: this.width + 60, y: y(v) + 4, 'text-anchor': 'end', 'font-size': 13, class: 'fill-slate' }, `${signed(Number(v.toFixed(places)), bottom < 0 || decibels)} ${this.unit}`);
      }
      if (!shown.length) return;
      const path = shown.map((p, i) => `${i ? 'L' : 'M'}${x(p, i).toFixed(1)} ${y(p.v).toFixed(1)}`).join(' ');
      put(this.svg, 'path', { d: path, fill: 'none', class: 'stroke-ink', 'stroke-width': 2, 'stroke-linejoin': 'round' });
      if (!this.live) for (const [i, p] of shown.entries()) put(this.svg, 'circle', { cx: x(p, i), cy: y(p.v), r: 3, class: 'fill-ink' });
      if (needle && needle.best_seen && needle.best_at_s) {
        const i = shown.findIndex((p) => p.at >= needle.best_at_s);
        if (i >= 0) {
          const cx = x(shown[i], i), cy = y(needle.best), ago = Math.round(last.at - needle.best_at_s);
          put(this.svg, 'circle', { cx, cy, r: 5, class: 'fill-ground stroke-ink', 'stroke-width': 2 });
          put(this.svg, 'text', { x: Math.min(Math.max(cx, 60), this.width - 60), y: Math.max(12, cy - 11), 'text-anchor': 'middle', 'font-size': 14, class: 'word fill-slate' }, this.live ? `crest, ${ago} s ago` : 'crest');
        }
      }
      put(this.svg, 'circle', { cx: x(last, shown.length - 1), cy: y(last.v), r: 5, class: 'fill-kingfisher' });
    }
  };
})();
