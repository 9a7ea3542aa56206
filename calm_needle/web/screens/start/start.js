/* Escape is smoke: one key. While a number is being typed it first lets go of the number, as Escape does everywhere; pressed again it is
   smoke. The other keys only while nothing is being typed. */
window.addEventListener('keydown', (e) => {
  if (e.repeat || e.ctrlKey || e.altKey || e.metaKey) return;
  if (e.target.matches('input, textarea, select')) {
    if (e.key === 'Escape') { e.preventDefault(); e.target.blur(); }
    return;
  }
  const button = document.querySelector(`[data-key="${CSS.escape(e.key)}"]`);
  if (button) { e.preventDefault(); button.click(); }
});
