/* The sweep by keyboard: Enter keeps the value, shows its verdict, and puts the next part in hand. No rule in here. */
(() => {
  const csrf = document.querySelector('meta[name=csrf-token]').content;
  document.addEventListener('submit', async (e) => {
    const form = e.target.closest('form[data-line]');
    if (!form) return;
    e.preventDefault();
    const fields = [...document.querySelectorAll('form[data-line] input[name=value]')];
    const at = fields.findIndex((f) => f.form === form);
    let reply;
    try {
      reply = await fetch(form.action, { method: 'POST', body: new URLSearchParams(new FormData(form)), headers: { 'X-Part': 'line', 'X-CSRFToken': csrf } });
    } catch { return say(form, 'The program itself does not answer; nothing was kept. What you typed stays: press Enter again in a moment.'); }
    const text = await reply.text();
    if (!reply.ok) {
      const meant = decodeURIComponent(reply.headers.get('X-Meant') ?? '');
      return say(form, reply.status === 422 ? text : 'This was not kept; load the page again and repeat it.', meant);
    }
    const fresh = Swap.read(text);
    document.activeElement?.blur();
    Swap.one(form, fresh.querySelector('form[data-line]'));
    Swap.one(document.querySelector('[data-tally]'), fresh.querySelector('[data-tally]'));
    const next = document.querySelectorAll('form[data-line] input[name=value]')[at + 1];
    if (next) { next.focus(); next.select(); }
    document.documentElement.dataset.kept = String(Number(document.documentElement.dataset.kept || 0) + 1);
  });
  // Whoever adds parts goes on adding.
  if (location.hash === '#add-part') document.getElementById('add-part')?.focus();
  function say(form, words, meant = '') {
    const field = form.querySelector('input[name=value]');
    form.querySelector('.field-fault').textContent = words;
    field.setAttribute('aria-invalid', 'true');
    form.elements['sure-value'].value = field.value.trim();  // pressed once more, it is meant
    const offer = form.querySelector('[data-meant-for]');
    offer.value = meant;
    offer.querySelector('span').textContent = meant;
    offer.hidden = offer.disabled = !meant;
    field.focus();
  }
})();
