/* Measures one band after the other with the form as it stands, and loads the page when all are done. No rule in here. */
(() => {
  const form = document.querySelector('form[data-measure]');
  if (!form) return;
  const every = form.querySelector('[data-every-band]');
  const said = form.querySelector('[data-progress]');
  const bands = form.elements.band;
  const say = (words) => { said.textContent = words; };
  form.addEventListener('submit', () => { say('Measuring; some seconds.'); });
  if (bands.options.length < 2) return;
  every.hidden = false;
  every.addEventListener('click', async () => {
    if (!form.reportValidity()) return;
    every.disabled = true;
    const faults = [];
    for (const option of bands.options) {
      say(`Measuring ${option.text}; some seconds.`);
      const sent = new URLSearchParams(new FormData(form));
      sent.set('band', option.value);
      sent.delete('at');
      try {
        const reply = await fetch(form.action, { method: 'POST', body: sent, headers: { 'X-Part': 'measure' } });
        if (!reply.ok) faults.push(reply.status === 422 ? await reply.text() : `${option.text}: this was not measured.`);
      } catch { faults.push('The program itself does not answer.'); break; }
    }
    if (!faults.length) { location.reload(); return; }
    say(faults.join(' '));
    every.disabled = false;
  });
})();
