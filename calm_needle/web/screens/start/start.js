/* Escape is smoke: one key, from anywhere on the page. */
window.addEventListener('keydown', (e) => {
  if (e.key === 'Escape' && !e.repeat) document.querySelector('[data-key=Escape]').click();
});
