/* Listens at an audio input and sends what it hears; shows what comes back. No rule in here: level, tone and verdict are the server's. */
(() => {
  const page = document.querySelector('[data-ears]');
  const csrf = document.querySelector('meta[name=csrf-token]').content;
  const ask = (name) => page.querySelector(`[data-${name}]`);
  const inputs = ask('inputs'), button = ask('listen'), said = ask('said'), pointer = ask('pointer'), tone = ask('tone');
  const OWN = ['autoGainControl', 'noiseSuppression', 'echoCancellation'], KEPT = 'ears-input', ON = 'ears-on', MOST_WAITING = 8;
  let stream = null, context = null, sending = false, first = 0;
  const blocks = [];

  const words = (name) => page.querySelector(`template[data-when="${name}"]`)?.innerHTML.trim();
  const say = (text, state) => { said.textContent = text; page.dataset.state = state; };
  const show = (figures) => page.querySelectorAll('[data-figure]').forEach((at) => { at.textContent = figures[at.dataset.figure] ?? '–'; });
  const point = (dbfs) => {
    pointer.style.display = dbfs === null ? 'none' : ''; // what was not heard is nowhere on the scale
    const share = dbfs === null ? 0 : Math.max(0, Math.min(1, (dbfs + 80) / 80));
    pointer.setAttribute('transform', `translate(${(share * 400).toFixed(1)} 0)`);
  };

  const list = async () => {
    const all = (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === 'audioinput');
    const chosen = inputs.value || localStorage.getItem(KEPT) || '';
    inputs.replaceChildren(...all.map((d, i) => new Option(d.label || `input ${i + 1}`, d.deviceId, false, d.deviceId === chosen)));
  };

  const stop = (why) => {
    stream?.getTracks().forEach((t) => t.stop());
    context?.close();
    stream = context = null;
    blocks.length = 0;
    first = 0;
    button.textContent = button.dataset.begin;
    button.setAttribute('aria-pressed', 'false');
    point(null);
    show({});
    sessionStorage.removeItem(ON);
    say(words(why) || words('stopped'), why === 'stopped' ? 'off' : 'stop');
  };

  // One after the other, so that they arrive in their order; what came meanwhile goes together.
  const send = async () => {
    if (sending) return;
    sending = true;
    try {
      while (stream && blocks.length) {
        const { about } = stream, all = new Blob(blocks);
        about.set('number', first);
        about.set('tone', tone.value.trim());
        first += all.size / 2;
        blocks.length = 0;
        const answer = await fetch(`${page.dataset.samples}?${about}`, {
          method: 'POST', body: all, headers: { 'Content-Type': 'application/octet-stream', Accept: 'application/json', 'X-CSRFToken': csrf },
        });
        const told = await answer.json();
        if (!stream) return;
        if (!answer.ok) { say(told.message || words('gone'), 'stop'); return; }
        say(told.words, told.state);
        point(told.at_dbfs);
        show(told.figures);
      }
    } catch { if (stream) say(words('gone'), 'stop'); } finally { sending = false; }
  };
  const hear = (block) => {
    blocks.push(block);
    while (blocks.length > MOST_WAITING) first += blocks.shift().byteLength / 2; // a server that is behind hears the newest, and that some is missing
    send();
  };

  const listen = async () => {
    if (!navigator.mediaDevices?.getUserMedia || !window.AudioWorkletNode) { stop('insecure'); return; }
    try {
      const wish = { autoGainControl: false, noiseSuppression: false, echoCancellation: false, channelCount: 1 };
      if (inputs.value) wish.deviceId = { exact: inputs.value };
      stream = await navigator.mediaDevices.getUserMedia({ audio: wish });
      const track = stream.getAudioTracks()[0], granted = track.getSettings();
      context = new AudioContext();
      await context.audioWorklet.addModule(page.dataset.tap);
      const tap = new AudioWorkletNode(context, 'ears-tap');
      context.createMediaStreamSource(stream).connect(tap);
      const about = new URLSearchParams({
        rate: context.sampleRate, label: track.label, processed: OWN.filter((name) => granted[name] === true).join(','),
      });
      stream.about = about;
      tap.port.onmessage = (m) => hear(m.data);
      track.onended = () => stop('ended');
      localStorage.setItem(KEPT, granted.deviceId ?? '');
      sessionStorage.setItem(ON, 'yes'); // a form that is sent loads the page anew: it goes on listening then
      button.textContent = button.dataset.end;
      button.setAttribute('aria-pressed', 'true');
      await list();
    } catch (fault) { stop(fault.name); }
  };

  button.addEventListener('click', () => (stream ? stop('stopped') : listen()));
  inputs.addEventListener('change', () => { if (stream) { stop('stopped'); listen(); } });
  navigator.mediaDevices?.addEventListener?.('devicechange', list);
  point(null);
  if (!navigator.mediaDevices?.enumerateDevices) stop('insecure');
  else if (sessionStorage.getItem(ON)) list().then(listen);
  else list().catch(() => undefined);
})();
