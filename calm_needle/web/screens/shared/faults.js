/* A page that comes back with something refused shows it: the first fault is brought into view, its field in focus.
   Where a value is only asked about, the arrow down takes what was probably meant. */
document.addEventListener('keydown', (e) => {
  if (e.key !== 'ArrowDown' || !(e.target instanceof HTMLInputElement)) return;
  const offer = e.target.form?.querySelector(`[data-meant-for="${CSS.escape(e.target.name)}"]`);
  if (!offer?.value) return;
  e.preventDefault();
  e.target.value = offer.value;
  offer.hidden = offer.disabled = true;
});
document.addEventListener('DOMContentLoaded', () => {
  const fault = [...document.querySelectorAll('.field-fault')].find((f) => f.textContent.trim() && f.offsetParent !== null);
  if (!fault) return;
  const field = (fault.id && document.querySelector(`[aria-describedby~="${CSS.escape(fault.id)}"]`)) ?? fault.closest('form, fieldset')?.querySelector('[aria-invalid=true]');
  field?.focus?.({ preventScroll: true });
  fault.scrollIntoView({ block: 'center' });
});
