/* What is half typed is kept while it is typed, and offered back when the page is opened again. No rule in here. */
(() => {
  const job = document.querySelector('meta[name=job]')?.content;
  if (!job) return;
  const csrf = document.querySelector('meta[name=csrf-token]').content;
  const address = `/jobs/${job}/drafts`;
  const waiting = new Map();
  const key = (form) => `${location.pathname}#${form.dataset.draft || new URL(form.action).pathname}`;
  const kept = (e) => e.name && !['csrf_token', 'seen', 'draft'].includes(e.name) && !['hidden', 'file', 'submit', 'button', 'password'].includes(e.type);
  const fields = (form) => Object.fromEntries([...form.elements].filter((e) => kept(e) && (!['checkbox', 'radio'].includes(e.type) || e.checked)).map((e) => [e.name, e.value]));
  const send = (body) => fetch(address, { method: 'POST', keepalive: true, headers: { 'Content-Type': 'application/json', 'X-CSRFToken': csrf }, body: JSON.stringify(body) }).catch(() => undefined);

  async function save(form) {
    clearTimeout(waiting.get(form));
    waiting.delete(form);
    mark(form);
    await send({ form: key(form), fields: fields(form) });
    document.documentElement.dataset.drafted = String(Number(document.documentElement.dataset.drafted || 0) + 1);
  }
  /* The form carries its draft's name, so that the server lets it go in the same breath as it keeps what was typed. */
  function mark(form) {
    if (form.elements.draft) return;
    form.append(Object.assign(document.createElement('input'), { type: 'hidden', name: 'draft', value: key(form) }));
  }
  document.addEventListener('input', (e) => {
    const form = e.target.closest?.('form[data-draft]');
    if (!form || !kept(e.target)) return;
    clearTimeout(waiting.get(form));
    waiting.set(form, setTimeout(() => save(form), waitMs('draft')));
  });
  document.addEventListener('submit', (e) => {
    const form = e.target.closest('form[data-draft]');
    if (form) { clearTimeout(waiting.get(form)); waiting.delete(form); mark(form); }
  });
  addEventListener('pagehide', () => { for (const form of [...waiting.keys()]) save(form); });

  function offer(form, draft) {
    const now = fields(form);
    if (Object.entries(draft.fields).every(([name, value]) => now[name] === value)) return mark(form);
    const bar = document.createElement('div');
    bar.className = 'draft-offer';
    bar.setAttribute('role', 'status');
    const words = document.createElement('p');
    const shown = Object.values(draft.fields).join(' · ');
    words.textContent = `Half typed at ${draft.at}: “${shown.length > 80 ? `${shown.slice(0, 79)}…` : shown}”`;
    const take = Object.assign(document.createElement('button'), { type: 'button', className: 'btn', textContent: 'Take it back' });
    const drop = Object.assign(document.createElement('button'), { type: 'button', className: 'btn', textContent: 'Let it go' });
    take.addEventListener('click', () => {
      for (const [name, value] of Object.entries(draft.fields)) {
        for (const e of [...form.elements].filter((x) => x.name === name && kept(x))) {
          if (['checkbox', 'radio'].includes(e.type)) e.checked = e.value === value; else e.value = value;
        }
      }
      mark(form);
      bar.remove();
      form.closest('details')?.setAttribute('open', '');
      const first = [...form.elements].find((x) => kept(x) && x.type !== 'radio');
      first?.focus();
    });
    drop.addEventListener('click', () => { send({ form: draft.form, fields: {} }); bar.remove(); });
    bar.append(words, take, drop);
    const place = form.closest('details:not([open])') || form;
    place.before(bar);
  }
  const drafts = JSON.parse(document.getElementById('drafts')?.textContent || '[]');
  const byKey = new Map(drafts.map((d) => [d.form, d]));
  for (const form of document.querySelectorAll('form[data-draft]')) if (byKey.has(key(form))) offer(form, byKey.get(key(form)));
})();
