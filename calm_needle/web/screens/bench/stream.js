/* The stream of a run, as a tab hears it: through the browser's one worker, or by itself where there is none. Let go while the
   tab is hidden, and taken up when it is looked at again. */
window.Stream = class {
  constructor({ url, worker, message, open, error }) {
    this.url = url; this.told = { message, open, error };
    if ('SharedWorker' in window) {
      this.port = new SharedWorker(worker, { name: 'calm-needle' }).port;
      this.port.onmessage = ({ data }) => this.hear(data);
    }
    document.addEventListener('visibilitychange', () => (document.hidden ? this.leave() : this.join()));
    window.addEventListener('pagehide', () => this.leave());
    window.addEventListener('pageshow', (e) => { if (e.persisted) this.join(); });
    if (!document.hidden) this.join();
  }
  hear(data) {
    if (data.kind === 'aside') { if (!document.hidden) setTimeout(() => this.join(), waitMs('stream')); return; }
    this.told[data.kind](data.data);
  }
  join() {
    if (this.port) { this.port.postMessage({ join: this.url }); return; }
    this.source?.close();
    this.source = new EventSource(this.url);
    this.source.onmessage = (e) => this.told.message(e.data);
    this.source.onopen = () => this.told.open();
    this.source.onerror = () => this.told.error();
  }
  leave() { if (this.port) this.port.postMessage({}); else this.source?.close(); }
};
