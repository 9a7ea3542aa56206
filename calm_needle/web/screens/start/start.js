/* Escape is smoke: one key, from anywhere on the page. The other keys only while nothing is being typed. */
window.addEventListener('keydown', (e) => {
  if (e.repeat || e.ctrlKey || e.altKey || e.metaKey) return;
  if (e.key !== 'Escape' && e.target.matches('input, textarea, select')) return;
  const button = document.querySelector(`[data-key="${CSS.escape(e.key)}"]`);
  if (button) { e.preventDefault(); button.click(); }
});
