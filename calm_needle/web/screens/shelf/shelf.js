/* Searching as one types: the page is asked again, and its list exchanged; without script the form asks. No rule in here. */
(() => {
  const field = document.getElementById('q');
  if (!field) return;
  let timer, asked = 0;
  async function find() {
    const mine = ++asked;
    const address = new URL(location.pathname, location.href);
    if (field.value.trim()) address.searchParams.set('q', field.value.trim());
    let text;
    try { text = await (await fetch(address)).text(); } catch { return; }
    if (mine !== asked) return;  // a slower answer to an older question
    const fresh = Swap.read(text).querySelector('[data-jobs]');
    if (fresh) Swap.one(document.querySelector('[data-jobs]'), fresh);
    history.replaceState(null, '', address);
  }
  field.addEventListener('input', () => { clearTimeout(timer); timer = setTimeout(find, waitMs('search')); });
})();
