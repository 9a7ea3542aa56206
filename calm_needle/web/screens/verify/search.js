/* While a hand turns the attenuator: what the ears hear now, and which way. What is said is the server's. */
(() => {
  const part = document.querySelector('[data-heard-now]');
  if (!part) return;
  const sentence = part.querySelector('[data-sentence]'), evidence = part.querySelector('[data-evidence]');
  const listen = async () => {
    try {
      const answer = await fetch(part.dataset.heardNow, { headers: { Accept: 'application/json' } });
      const said = answer.ok ? await answer.json() : {};
      sentence.textContent = said.sentence ?? 'Nobody listens: open the ears’ page, and press Listen.';
      evidence.textContent = said.evidence ?? '';
    } catch { sentence.textContent = 'Calm Needle does not answer.'; evidence.textContent = ''; }
    setTimeout(listen, waitMs('look'));
  };
  listen();
})();
