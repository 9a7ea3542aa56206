/* A photograph of the job beside the page that is filled in from it: chosen, made larger, moved with the hand; it stays from page to page. */
(() => {
  const part = document.querySelector('[data-photograph-beside]'), open = document.querySelector('[data-beside-open]');
  if (!part || !open) return;
  const ask = (name) => part.querySelector(`[data-${name}]`), which = ask('which'), sheet = ask('sheet'), picture = ask('picture');
  const KEPT = `beside-${part.dataset.photographBeside}`, LEAST = 1, MOST = 8, STEP = 1.4;
  const kept = { open: false, which: '', zoom: 1, x: 0, y: 0, ...JSON.parse(sessionStorage.getItem(KEPT) ?? '{}') };
  const keep = () => sessionStorage.setItem(KEPT, JSON.stringify(kept));
  const show = () => {
    part.hidden = !kept.open;
    for (const name of part.dataset.bodyClass.split(' ')) document.body.classList.toggle(name, kept.open);
    open.setAttribute('aria-expanded', String(kept.open));
    if (kept.open) {
      if ([...which.options].some((o) => o.value === kept.which)) which.value = kept.which;
      if (picture.getAttribute('src') !== which.value) picture.src = which.value;
      picture.alt = which.selectedOptions[0]?.textContent ?? '';
      picture.style.width = `${100 * kept.zoom}%`;
    }
    keep();
  };
  const place = () => { sheet.scrollLeft = kept.x; sheet.scrollTop = kept.y; };
  picture.addEventListener('load', place);
  sheet.addEventListener('scroll', () => { kept.x = sheet.scrollLeft; kept.y = sheet.scrollTop; keep(); });
  which.addEventListener('change', () => { Object.assign(kept, { which: which.value, zoom: 1, x: 0, y: 0 }); show(); });
  // What is in the middle stays there.
  const zoom = (by) => {
    const now = Math.min(MOST, Math.max(LEAST, kept.zoom * by)), times = now / kept.zoom;
    const x = (sheet.scrollLeft + sheet.clientWidth / 2) * times - sheet.clientWidth / 2, y = (sheet.scrollTop + sheet.clientHeight / 2) * times - sheet.clientHeight / 2;
    Object.assign(kept, { zoom: now, x: Math.max(0, x), y: Math.max(0, y) });
    show();
    place();
  };
  for (const button of part.querySelectorAll('[data-zoom]')) button.addEventListener('click', () => zoom(STEP ** Number(button.dataset.zoom)));
  open.hidden = false;
  open.addEventListener('click', () => { kept.open = !kept.open; show(); if (kept.open) which.focus(); });
  ask('away').addEventListener('click', () => { kept.open = false; show(); open.focus(); });
  let held = null;
  sheet.addEventListener('pointerdown', (e) => { held = { x: e.clientX + sheet.scrollLeft, y: e.clientY + sheet.scrollTop }; sheet.setPointerCapture(e.pointerId); });
  sheet.addEventListener('pointermove', (e) => { if (held) { sheet.scrollLeft = held.x - e.clientX; sheet.scrollTop = held.y - e.clientY; } });
  sheet.addEventListener('pointerup', () => { held = null; });
  show();
})();
