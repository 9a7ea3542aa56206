/* The one way to exchange parts of a page: what has changed is morphed, so that what is open stays open, what is typed stays typed
   and what is in focus keeps it. Parts are named by data-swap, on the page and on the fresh one. */
(() => {
  const opened = new WeakSet();
  document.addEventListener('click', (e) => { const fold = e.target.closest('summary')?.parentElement; if (fold) opened.add(fold); });

  window.Swap = {
    options: {
      // What is being typed stays; a button that was clicked says what it does now.
      get ignoreActiveValue() { return Boolean(document.activeElement?.matches('input, textarea, select')); },
      callbacks: {
        // What the page's script has shown or hidden, and what a person has folded open or shut, is theirs, whatever the fresh page says.
        beforeAttributeUpdated: (name, node) => !(name === 'style' || name === 'x-cloak' || (name === 'open' && (opened.has(node) || node.tagName === 'DIALOG'))),
      },
    },
    read: (text) => new DOMParser().parseFromString(text, 'text/html'),
    /* Make every named part of this page as it is on the fresh one. */
    parts(fresh) {
      for (const part of document.querySelectorAll('[data-swap]')) {
        const next = fresh.querySelector(`[data-swap="${part.dataset.swap}"]`);
        if (next && next.innerHTML !== part.innerHTML) this.inside(part, next);
      }
    },
    inside(part, next) { Idiomorph.morph(part, next.innerHTML, { ...this.options, morphStyle: 'innerHTML' }); },
    /* One element in the place of another. */
    one(old, next) { Idiomorph.morph(old, next, { ...this.options, morphStyle: 'outerHTML' }); },
  };
})();
