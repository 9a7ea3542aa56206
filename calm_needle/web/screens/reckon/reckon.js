/* A calculator, live: sends what is typed and shows the answer that comes back. No formula in here. */
(() => {
  const form = document.getElementById('reckon'), answer = document.getElementById('answer');
  const copied = document.querySelector('[data-copied]');
  const recording = document.getElementById('in-file');
  let running = false, again = false, timer = 0;

  async function ask() {
    if (running) { again = true; return; }
    running = true;
    const body = new FormData(form);
    if (!recording) body.delete('file');
    try {
      const reply = await fetch(form.action, { method: 'POST', body, headers: { 'X-Part': 'answer', 'X-CSRFToken': body.get('csrf_token') } });
      if (reply.ok) {
        Swap.inside(answer, Swap.read(await reply.text()).body);
        const faulty = [...answer.querySelectorAll('[data-fault]')].map((n) => n.dataset.fault);
        for (const field of form.elements) if (field.id.startsWith('in-')) field.toggleAttribute('aria-invalid', faulty.includes(field.name));
        document.documentElement.dataset.answered = String(Number(document.documentElement.dataset.answered || 0) + 1);
      }
    } catch { copied.textContent = 'The program itself does not answer; what you typed stays. Type on in a moment.'; }
    running = false;
    if (again) { again = false; ask(); }
  }
  form.addEventListener('input', (e) => {
    if (e.target.type === 'file' && !recording) return;
    clearTimeout(timer);
    timer = setTimeout(ask, waitMs('answer'));
  });
  answer.addEventListener('click', (e) => {
    const button = e.target.closest('[data-take]');
    if (!button) return;
    const field = form.elements.namedItem(button.dataset.take);
    field.value = button.dataset.likely;
    field.focus();
    ask();
  });
  document.querySelector('[data-copy]').addEventListener('click', async () => {
    const rows = [...answer.querySelectorAll('table tr')].map((r) => [...r.cells].map((c) => c.textContent.trim()).join('\t'));
    const sentence = answer.querySelector('[data-part=sentence]')?.textContent ?? '';
    if (!sentence) { copied.textContent = 'There is no answer yet to copy.'; return; }
    try { await navigator.clipboard.writeText([sentence, ...rows].join('\n')); copied.textContent = 'Copied.'; }
    catch { copied.textContent = 'The browser does not allow copying here; select the text instead.'; }
  });
})();
