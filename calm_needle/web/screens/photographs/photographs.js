/* Pointing at a picture or a map fills in the two fields of its place; the fields work alone too. No rule in here. */
(() => {
  for (const map of document.querySelectorAll('svg[data-point-x]')) {
    const field = (axis) => document.getElementById(map.dataset[`point${axis}`]);
    const mark = map.querySelector('[data-pointed]');
    const box = map.viewBox.baseVal;
    const from = (name) => Number(map.dataset[name] ?? 0);
    const show = () => {
      const x = parseFloat(field('X').value.replace(',', '.')), y = parseFloat(field('Y').value.replace(',', '.'));
      const there = Number.isFinite(x) && Number.isFinite(y);
      mark.setAttribute('visibility', there ? 'visible' : 'hidden');
      if (!there) return;
      const across = map.dataset.pointMirror ? from('pointMostX') - x : x;
      mark.setAttribute('cx', map.dataset.pointMostX === '100' ? across * box.width / 100 : across);
      mark.setAttribute('cy', map.dataset.pointMostY === '100' ? y * box.height / 100 : y);
    };
    map.addEventListener('click', (e) => {
      const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(map.getScreenCTM().inverse());
      const percent = map.dataset.pointMostX === '100';
      const x = percent ? 100 * at.x / box.width : at.x, y = percent ? 100 * at.y / box.height : at.y;
      const within = (v, most) => Math.min(Math.max(v, 0), most);
      const across = map.dataset.pointMirror ? from('pointMostX') - x : x;
      field('X').value = within(across, from('pointMostX')).toFixed(1);
      field('Y').value = within(y, from('pointMostY')).toFixed(1);
      for (const axis of ['X', 'Y']) field(axis).dispatchEvent(new Event('input', { bubbles: true }));
    });
    for (const axis of ['X', 'Y']) field(axis).addEventListener('input', show);
    show();
  }
})();
