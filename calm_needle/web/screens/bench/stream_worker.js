/* One stream for all tabs of a browser: a browser opens six connections to a host, and a seventh page would wait for ever.
   A shared worker; each tab is a port, and asks for the stream of its run. */
const MOST = 3;
const streams = new Map();

const drop = (url) => { streams.get(url)?.source.close(); streams.delete(url); };
const leave = (port) => {
  for (const [url, { ports }] of streams) if (ports.delete(port) && !ports.size) drop(url);
};
const join = (port, url) => {
  leave(port);
  if (!streams.has(url)) {
    // A run that is looked at in yet another tab: the oldest stream is let go, and its tabs ask again when they are looked at.
    while (streams.size >= MOST) { const [oldest, { ports }] = streams.entries().next().value; for (const p of ports) p.postMessage({ kind: 'aside' }); drop(oldest); }
    const source = new EventSource(url), ports = new Set();
    const tell = (message) => { for (const p of ports) p.postMessage(message); };
    source.onmessage = (e) => { streams.get(url).last = e.data; tell({ kind: 'message', data: e.data }); };
    source.onopen = () => tell({ kind: 'open' });
    source.onerror = () => tell({ kind: 'error' });
    streams.set(url, { source, ports, last: null });
  }
  const stream = streams.get(url);
  stream.ports.add(port);
  if (stream.last) port.postMessage({ kind: 'message', data: stream.last });
};

self.onconnect = (e) => {
  const port = e.ports[0];
  port.onmessage = ({ data }) => { if (data.join) join(port, data.join); else leave(port); };
};
