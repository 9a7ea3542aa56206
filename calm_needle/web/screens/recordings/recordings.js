/* Two recordings side by side: goes over from one to the other at the same place. One at a time is heard anywhere. */
(() => {
  const all = [...document.querySelectorAll('audio')], beside = document.querySelector('[data-beside]');
  for (const one of all) one.addEventListener('play', () => { for (const other of all) if (other !== one) other.pause(); });
  if (!beside) return;
  const pair = [...beside.querySelectorAll('audio')], button = beside.querySelector('[data-switch]');
  const over = async () => {
    const from = pair.find((a) => !a.paused) ?? pair[1], to = pair[1 - pair.indexOf(from)], at = from.currentTime;
    from.pause();
    await to.play();
    to.currentTime = Number.isFinite(to.duration) && at < to.duration ? at : 0;
  };
  button.hidden = false;
  button.addEventListener('click', over);
  window.addEventListener('keydown', (e) => {
    if (e.key.toLowerCase() === 'x' && !e.ctrlKey && !e.metaKey && !e.altKey && !e.target.closest('input, select, textarea')) over();
  });
})();
