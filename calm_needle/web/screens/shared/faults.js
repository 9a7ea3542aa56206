/* A page that comes back with something refused shows it: the first fault is brought into view, its field in focus. */
document.addEventListener('DOMContentLoaded', () => {
  const fault = [...document.querySelectorAll('.field-fault')].find((f) => f.textContent.trim() && f.offsetParent !== null);
  if (!fault) return;
  const field = (fault.id && document.querySelector(`[aria-describedby~="${CSS.escape(fault.id)}"]`)) ?? fault.closest('form, fieldset')?.querySelector('[aria-invalid=true]');
  field?.focus?.({ preventScroll: true });
  fault.scrollIntoView({ block: 'center' });
});
