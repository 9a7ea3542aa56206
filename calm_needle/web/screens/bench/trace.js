/* The oscilloscope's trace, asked for again and again while a step wants to see it. */
class ScopeTrace {
  follow(figure) {
    if (figure === this.figure) return;
    this.figure = figure;
    clearTimeout(this.tick);
    if (figure) this.look();
  }

  async look() {
    const figure = this.figure;
    try {
      const answer = await fetch(figure.dataset.trace, { headers: { Accept: 'application/json' } });
      if (answer.ok && figure === this.figure) this.draw(figure, await answer.json());
    } catch { /* the stream says that the program does not answer */ }
    if (figure === this.figure && figure.isConnected) this.tick = setTimeout(() => this.look(), waitMs('look'));
  }

  draw(figure, trace) {
    figure.querySelector('path:last-of-type').setAttribute('d', trace.path);
    for (const name of ['range', 'time', 'words']) figure.querySelector(`[data-trace-${name}]`).textContent = trace[name];
  }
}
