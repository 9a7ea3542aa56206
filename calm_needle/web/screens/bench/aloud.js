/* The practice set's loudspeaker made audible beside the needle: off until asked for, low at first. */
(() => {
  const KEPT = 'practice-set-volume', LOWEST_DB = -60, HIGHEST_DB = 0, AT_FIRST_DB = -36;
  const part = document.querySelector('[data-aloud]');
  if (!part) return;
  const csrf = document.querySelector('meta[name=csrf-token]').content;
  const button = part.querySelector('button'), volume = part.querySelector('input'), said = part.querySelector('[data-aloud-said]'), words = button.querySelector('span');
  let context = null, set = null, gain = null;
  const kept = Number(localStorage.getItem(KEPT) ?? AT_FIRST_DB);
  volume.value = kept >= LOWEST_DB && kept <= HIGHEST_DB ? kept : AT_FIRST_DB;
  const loud = () => 10 ** (Number(volume.value) / 20);
  const stop = (why = '') => {
    set?.close();
    context?.close();
    context = set = gain = null;
    said.textContent = why;
    words.textContent = button.dataset.begin;
    button.setAttribute('aria-pressed', 'false');
    volume.parentElement.hidden = true;
  };
  const start = async () => {
    if (!window.AudioWorkletNode) { stop(part.dataset.insecure); return; }
    try {
      context = new AudioContext();
      set = new Loudspeaker({ from: part.dataset.from, player: part.dataset.player, csrf, lost: (why) => stop(why || part.dataset.gone) });
      gain = new GainNode(context, { gain: loud() });
      (await set.open(context)).connect(gain).connect(context.destination);
      said.textContent = '';
      words.textContent = button.dataset.end;
      button.setAttribute('aria-pressed', 'true');
      volume.parentElement.hidden = false;
    } catch { stop(part.dataset.gone); }
  };
  button.addEventListener('click', () => { if (context) stop(); else start(); button.blur(); });
  volume.addEventListener('input', () => { localStorage.setItem(KEPT, volume.value); gain?.gain.setTargetAtTime(loud(), context.currentTime, 0.02); });
  volume.addEventListener('change', () => volume.blur());
})();
