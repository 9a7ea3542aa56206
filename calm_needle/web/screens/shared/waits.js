/* How long a script waits (ms), by what it waits for; calm_needle/web/waits.py has the list. */
window.waitMs = (name) => JSON.parse(document.documentElement.dataset.waits)[name];
