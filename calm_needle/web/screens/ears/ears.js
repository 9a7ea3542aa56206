/* Listens at an audio input and sends what it hears; shows what comes back. No rule in here: level, tone and verdict are the server's. */
(() => {
  const page = document.querySelector('[data-ears]');
  const csrf = document.querySelector('meta[name=csrf-token]').content;
  const ask = (name) => page.querySelector(`[data-${name}]`);
  const inputs = ask('inputs'), button = ask('listen'), said = ask('said'), pointer = ask('pointer'), tone = ask('tone'), places = [...page.querySelectorAll('[data-figure]')];
  const OWN = ['autoGainControl', 'noiseSuppression', 'echoCancellation'], KEPT = 'ears-input', ON = 'ears-on', WHICH = 'ears-page', MOST_WAITING = 8;
  const PRACTICE = 'practice set';
  let PAGE = sessionStorage.getItem(WHICH) ?? String(Math.random());
  let stream = null, context = null, sending = false, first = 0, practice = null;
  const blocks = [];
  sessionStorage.setItem(WHICH, PAGE); // a form that is sent loads the page anew: it is the same then
  // A tab that was doubled has the name of the one that lives, which holds it: it takes another.
  const named = new Promise((resolve) => {
    if (!navigator.locks) { resolve(); return; }
    const other = () => { PAGE = String(Math.random()); sessionStorage.setItem(WHICH, PAGE); resolve(); };
    const held = () => { resolve(); return new Promise(() => {}); };
    navigator.locks.request(`ears-${PAGE}`, { signal: AbortSignal.timeout(waitMs('doubled')) }, held).catch(other);
  });

  const words = (name) => page.querySelector(`template[data-when="${name}"]`)?.innerHTML.trim();
  // What stands there already is not written again: it would be laid out anew, twenty times a second.
  const write = (at, text) => { if (at.textContent !== text) at.textContent = text; };
  const say = (text, state) => { write(said, text); if (page.dataset.state !== state) page.dataset.state = state; };
  const show = (figures) => places.forEach((at) => write(at, figures[at.dataset.figure] ?? '–'));
  const point = (dbfs) => {
    pointer.style.display = dbfs === null ? 'none' : ''; // what was not heard is nowhere on the scale
    const share = dbfs === null ? 0 : Math.max(0, Math.min(1, (dbfs + 80) / 80));
    pointer.setAttribute('transform', `translate(${(share * 400).toFixed(1)} 0)`);
  };

  const list = async () => {
    const all = (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === 'audioinput');
    const chosen = inputs.value || localStorage.getItem(KEPT) || '';
    const found = all.map((d, i) => new Option(d.label || `input ${i + 1}`, d.deviceId, false, d.deviceId === chosen));
    if (page.dataset.practice) found.push(new Option(page.dataset.practice, PRACTICE, false, chosen === PRACTICE));
    inputs.replaceChildren(...found);
  };

  const stop = (why) => {
    stream?.getTracks().forEach((t) => t.stop());
    practice?.close();
    context?.close();
    stream = context = practice = null;
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
    await named;
    try {
      while (stream && blocks.length) {
        const { about } = stream, all = new Blob(blocks);
        about.set('number', first);
        about.set('page', PAGE);
        about.set('tone', tone.value.trim());
        first += all.size / 2;
        blocks.length = 0;
        const answer = await fetch(`${page.dataset.samples}?${about}`, {
          method: 'POST', body: all, headers: { 'Content-Type': 'application/octet-stream', Accept: 'application/json', 'X-CSRFToken': csrf },
        });
        const told = await answer.json();
        if (!stream) return;
        if (!answer.ok) { say(told.words || words('gone'), 'stop'); return; }
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

  // From the input, or from the practice set: what is heard, what it is called, what the browser does to it all the same.
  const input = async () => {
    const wish = { autoGainControl: false, noiseSuppression: false, echoCancellation: false, channelCount: 1 };
    if (inputs.value) wish.deviceId = { exact: inputs.value };
    const granted = await navigator.mediaDevices.getUserMedia({ audio: wish }), track = granted.getAudioTracks()[0], settings = track.getSettings();
    track.onended = () => stop('ended');
    context = new AudioContext();
    stream = { getTracks: () => granted.getTracks() };
    return { node: context.createMediaStreamSource(granted), label: track.label, id: settings.deviceId ?? '', processed: OWN.filter((name) => settings[name] === true), blockS: 0.05 };
  };
  const practiceSet = async () => {
    context = new AudioContext();
    stream = { getTracks: () => [] };
    await context.resume();
    practice = new Loudspeaker({ from: page.dataset.loudspeaker, player: page.dataset.player, csrf, lost: (why) => { stop('practice-gone'); if (why) say(why, 'stop'); } });
    const node = new GainNode(context, { gain: 1 / page.dataset.fullVolts });
    (await practice.open(context)).connect(node);
    return { node, label: page.dataset.practice, id: PRACTICE, processed: [], blockS: 0.1 };
  };

  const listen = async () => {
    if (!navigator.mediaDevices?.getUserMedia || !window.AudioWorkletNode) { stop('insecure'); return; }
    try {
      const heard = await (inputs.value === PRACTICE ? practiceSet() : input());
      await context.audioWorklet.addModule(page.dataset.tap);
      const tap = new AudioWorkletNode(context, 'ears-tap', { processorOptions: { blockS: heard.blockS } });
      heard.node.connect(tap).connect(context.destination); // silent, but it makes the browser run it
      stream.about = new URLSearchParams({ rate: context.sampleRate, label: heard.label, processed: heard.processed.join(',') });
      tap.port.onmessage = (m) => hear(m.data);
      localStorage.setItem(KEPT, heard.id);
      sessionStorage.setItem(ON, 'yes'); // a form that is sent loads the page anew: it goes on listening then
      button.textContent = button.dataset.end;
      button.setAttribute('aria-pressed', 'true');
      await list();
    } catch (fault) { stop(fault.name); }
  };

  // A beat, counted before and after what makes it was raised a little.
  const beat = ask('beat'), of = (name) => beat.querySelector(`[data-${name}]`), field = (name) => beat.querySelector(`[name=${name}]`);
  let counted = null;
  const tell = async (address, more = {}) => {
    of('beat-said').textContent = beat.dataset.counting; // what it was before it was moved is out of what is counted then
    await new Promise((done) => { setTimeout(done, waitMs('counted')); });
    const body = new URLSearchParams({ name: field('name').value, known: field('known').value, within: field('within').value, ...more });
    const answer = await fetch(address, { method: 'POST', body, headers: { Accept: 'application/json', 'X-CSRFToken': csrf } });
    const told = await answer.json();
    of('beat-said').textContent = told.words;
    return answer.ok ? told : null;
  };
  of('count-now').addEventListener('click', async () => {
    counted = await tell(beat.dataset.count);
    of('counted').textContent = counted?.words ?? '';
    if (counted) of('beat-said').textContent = '';
    of('count-again').hidden = !counted;
    of('check').hidden = true;
  });
  of('count-again').addEventListener('click', async () => {
    const told = await tell(beat.dataset.side, { pitch: counted.pitch, sure: counted.sure });
    of('check').hidden = !told;
    for (const old of of('check').querySelectorAll('[data-of-check]')) old.remove();
    for (const [name, value] of Object.entries(told?.check ?? {})) {
      const hidden = Object.assign(document.createElement('input'), { type: 'hidden', name, value });
      hidden.dataset.ofCheck = '';
      of('check').append(hidden);
    }
  });
  field('name').addEventListener('input', () => {
    const known = [...beat.querySelectorAll('option')].find((o) => o.value === field('name').value);
    if (known) { field('known').value = `${known.dataset.hz} Hz`; field('within').value = `${known.dataset.within} Hz`; }
  });

  button.addEventListener('click', () => (stream ? stop('stopped') : listen()));
  inputs.addEventListener('change', () => { if (stream) { stop('stopped'); listen(); } });
  navigator.mediaDevices?.addEventListener?.('devicechange', list);
  point(null);
  if (!navigator.mediaDevices?.enumerateDevices) stop('insecure');
  else if (sessionStorage.getItem(ON)) list().then(listen);
  else list().catch(() => undefined);
})();
