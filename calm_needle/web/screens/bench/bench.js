/* The bench page: shows what the stream says, sends what is pressed, fetches its parts anew after each act. No rule of the job. */
document.addEventListener('alpine:init', () => {
  const SIGNS = {
    eye: 'M3 16 Q16 4 29 16 Q16 28 3 16 M16 13 a3 3 0 1 0 .1 0', onward: 'M5 22 L16 8 L27 22', turn_back: 'M9 8 A11 11 0 1 0 24 9 M24 3 V10 H17',
    crest: 'M4 26 Q16 -6 28 26 M11 17 L15 21 L22 12', nothing: 'M4 16 H28', stop: 'M26 5 V27 M5 16 H20 M14 9 L21 16 L14 23',
    humps: 'M2 26 Q9 -2 16 18 Q23 2 30 26', wander: 'M2 18 L8 8 L13 24 L18 6 L23 22 L30 12', level: 'M16 4 V28 M8 20 L16 28 L24 20', set: 'M5 9 H27 M5 23 H27 M11 5 V13 M21 19 V27',
    measure: 'M3 26 V14 M10 26 V9 M16 26 V5 M22 26 V9 M29 26 V14', clock: 'M16 4 a12 12 0 1 0 .1 0 M16 9 V17 L22 20', unplugged: 'M11 4 V11 M21 4 V11 M7 11 H25 V15 A9 8 0 0 1 7 15 Z M16 23 V29', round: 'M26 16 A10 10 0 1 1 21 7 M21 2 V8 H15',
  };

  const UNREAD_MS = 500;
  const FOOT = 'calm-needle foot switch';

  Alpine.data('bench', () => ({
    ask: '', note: '', fault: '', dialogFault: '', readingFault: '', listening: false, speaking: false, shortcuts: true, slipping: false, stopped: false, reads: true, side: 'above', turnable: false, steady: true, teaching: false, foot: localStorage.getItem(FOOT) ?? '',

    init() {
      this.csrf = document.querySelector('meta[name=csrf-token]').content;
      this.needle = new Needle(this.$refs.needle);
      this.ear = new Listening();
      this.pending = 0; this.sending = false; this.waiting = [];
      this.start = this.read();
      this.trail = new Trail(this.$refs.trail, this.start.instruments);
      if (this.$refs.core) this.dial = new CoreDial(this.$refs.core, (turns) => this.turn(turns));
      this.begin(this.start);
      this.$root.addEventListener('submit', (e) => this.submit(e));
      window.addEventListener('keydown', (e) => this.key(e));
      for (const dialog of this.dialogs()) dialog.addEventListener('close', () => { this.dialogFault = ''; });
      if (this.start.instruments) this.listenIn();
      document.documentElement.dataset.ready = 'yes';
    },
    read() { return JSON.parse(document.getElementById('bench-start').textContent); },
    dialogs() { return [this.$refs.keys, this.$refs.note, this.$refs.skip, this.$refs.disturbed]; },
    begin(start) {
      this.start = start; this.reads = start.reads; this.side = start.side; this.version = start.version; this.steady = start.steady;
      this.turnable = start.practice && start.stage === 'step' && start.snapshot.core !== null;
      this.needle.clear();
      this.needle.setScale(start.scale);
      this.trail.reset(start.trail, start.trail_unit, start.response);
      this.show(start.snapshot);
      clearTimeout(this.tick);
      // A wait stands otherwise a little later, though nothing is read.
      if (start.ticks && !start.instruments) this.tick = setTimeout(() => this.refresh(), waitMs('wait_step'));
      this.scope ??= new ScopeTrace();
      this.$nextTick(() => this.scope.follow(document.querySelector('[data-trace]')));
      if (!start.instruments) this.$nextTick(() => document.getElementById('reading')?.focus());
    },

    listenIn() {
      const heard = () => { clearTimeout(this.lost); this.lost = null; if (this.fault.startsWith('The program itself')) { this.fault = ''; this.refresh(); } };
      this.stream = new Stream({
        url: this.start.stream, worker: this.start.worker, open: heard,
        message: (data) => {
          heard();
          const snapshot = JSON.parse(data);
          this.newest = snapshot;
          if (snapshot.version !== this.version) this.refresh();
          if (snapshot.visit === this.start.visit) this.show(snapshot);
        },
        error: () => { this.lost ??= setTimeout(() => { this.fault = 'The program itself does not answer. What was taken is kept; it is tried again by itself.'; }, waitMs('lost')); },
      });
    },
    show(snapshot) {
      const { reading, needle, advice } = snapshot;
      this.text('number', reading ? reading.number : '–');
      this.text('unit', reading ? reading.unit : '');
      this.text('change', reading ? reading.change : '–');
      if (needle) { this.needle.show(needle); if (this.start.instruments) { this.trail.unit = needle.unit; this.trail.add({ at: reading.at, v: reading.v }, needle); } else this.trail.draw(needle); }
      if (this.$refs.sentence.textContent !== advice.sentence && this.speaking) this.ear.say(advice.sentence);
      this.text('sentence', advice.sentence);
      this.text('evidence', advice.evidence);
      this.$refs.advice.dataset.tone = advice.tone;
      this.$refs.sign.setAttribute('d', SIGNS[advice.sign]);
      this.slipping = snapshot.slipped;
      if (reading) this.ear.hear(reading.pitch_db, snapshot.way);
      this.showLinks(snapshot.links);
      this.turnable = this.start.practice && this.start.stage === 'step' && snapshot.core !== null;
      if (snapshot.core && this.dial) {
        this.dial.reach(snapshot.core);
        if (!this.sending && !this.pending) this.dial.show(snapshot.core.turns);
        this.text('turns', snapshot.core.hidden ? 'not seen' : `${snapshot.core.turns >= 0 ? '+' : '\u2212'}${Math.abs(snapshot.core.turns).toFixed(this.dial.places)}`);
        this.stopped = snapshot.core.at_stop;
      }
      this.$root.dataset.reading = reading ? reading.id : '';
      this.$root.dataset.verdict = snapshot.verdict;
    },
    showLinks(links) {
      const key = links.map((l) => l.kind + l.state).join();
      if (!this.$refs.links || key === this.linksShown) return;
      this.linksShown = key;
      this.$refs.links.replaceChildren(...links.map((link) => {
        const li = document.createElement('li');
        li.dataset.link = link.kind; li.dataset.state = link.state; li.className = 'flex items-center gap-1.5';
        const good = link.state === 'ready';
        const svg = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
        for (const [k, v] of Object.entries({ width: 10, height: 10, viewBox: '0 0 10 10', 'aria-hidden': 'true' })) svg.setAttribute(k, v);
        const mark = document.createElementNS('http://www.w3.org/2000/svg', 'path');
        mark.setAttribute('d', good ? 'M5 .5 a4.5 4.5 0 1 0 .01 0' : 'M1 1 L9 9 M9 1 L1 9');
        mark.setAttribute('class', good ? 'fill-moss' : 'stroke-madder');
        if (!good) mark.setAttribute('stroke-width', '2.4');
        svg.append(mark);
        const words = document.createElement('span'), state = document.createElement('span');
        words.textContent = link.name; state.className = 'sr-only'; state.textContent = ` ${link.state}`;
        words.append(state);
        li.append(svg, words);
        return li;
      }));
    },
    text(ref, words) { const node = this.$refs[ref]; if (node && node.textContent !== words) node.textContent = words; },

    async submit(e) {
      if (e.target.closest('header')) return;
      e.preventDefault();
      // What has the focus is not exchanged: a button that says otherwise afterwards must not keep it.
      if (e.target.matches('[data-swap=turns-seen]')) document.activeElement?.blur();
      await this.send(e.target);
    },
    async send(form, extra) {
      // What is pressed right after an act was meant for the page before it.
      this.closely = performance.now() - (this.acted ?? -1e6) < 1500;
      this.acted = performance.now();
      const body = new URLSearchParams(new FormData(form));
      for (const [k, v] of Object.entries(extra ?? {})) body.set(k, v);
      // The field is free for the next reading at once, and readings are kept in the order in which they were typed.
      const typed = form.matches('[data-typed]') ? this.emptied(form) : null;
      const before = Promise.all([this.underway, this.turned()]);
      let done;
      this.underway = new Promise((resolve) => { done = resolve; });
      await before;
      try { await this.sent(form, body, typed); } finally { done(); }
    },
    emptied(form) {
      const fields = [...form.querySelectorAll('input:not([type=hidden])')];
      const words = Object.fromEntries(fields.map((f) => [f.name, f.value]));
      for (const f of fields) f.value = '';
      // What was refused comes back to be mended, unless the next is being typed already.
      return { words, back: () => { if (fields.every((f) => !f.value)) for (const f of fields) f.value = words[f.name]; } };
    },
    async sent(form, body, typed) {
      let answer;
      try {
        answer = await fetch(form.action, { method: 'POST', body, headers: { Accept: 'application/json', 'X-CSRFToken': this.csrf } });
      } catch { typed?.back(); this.fault = 'The program itself does not answer. Nothing was sent; try again in a moment.'; return; }
      if (!answer.ok) typed?.back();
      const said = await answer.json();
      if (answer.ok) {
        this.forget();
        if (new URL(said.go, location.href).pathname !== location.pathname) { location.assign(said.go); return; }
        // Only its own dialog: another may have been opened, and written in, while the answer was on its way.
        if (form.closest('dialog')) this.closeDialogs();
        await this.refresh();
      } else if (said.ask) { this.put(said.words, () => this.send(form, { ...(typed?.words ?? {}), sure: 'yes' })); }
      else if (form.matches('[data-typed]')) this.readingFault = said.words;
      else if (form.closest('dialog')) this.dialogFault = said.words;
      // Enter twice, or another window was quicker: no fault, but where it is now.
      else if (answer.status === 409) { this.note = this.closely ? '' : said.words; await this.refresh(); }
      else { this.fault = said.words; await this.refresh(); }
    },
    put(question, asked) {
      this.ask = question; this.asked = asked; this.askedAt = performance.now();
      // What is shown has its place on the glass a frame later, and only then takes the focus.
      this.$nextTick(() => requestAnimationFrame(() => requestAnimationFrame(() => this.$refs.insist.focus())));
    },
    // A second Enter in one breath with the first was no answer to what nobody has read yet.
    insist() { if (performance.now() - this.askedAt < UNREAD_MS) return; this.ask = ''; this.asked?.(); },
    forget() { this.ask = ''; this.note = ''; this.fault = ''; this.readingFault = ''; },

    async refresh() {
      if (this.refreshing) { this.again = true; return; }
      this.refreshing = true;
      const known = this.newest;
      try {
        const answer = await fetch(location.pathname, { headers: { Accept: 'text/html' } });
        if (!answer.ok) return;
        const fresh = Swap.read(await answer.text());
        const focused = document.activeElement?.closest('[data-swap] [data-key]')?.dataset.key;
        Swap.parts(fresh);
        document.title = fresh.title;
        this.begin(this.read());
        // What the stream said while the page was on its way is newer than the page.
        if (this.newest !== known && this.newest.visit === this.start.visit) this.show(this.newest);
        if (focused) document.querySelector(`[data-key="${focused}"]`)?.focus();
      } finally {
        this.refreshing = false;
        if (this.again) { this.again = false; this.refresh(); }
      }
    },

    // Whoever turns on has answered: what was asked was asked of where it stood.
    turn(turns) {
      this.ask = '';
      this.pending += turns;
      if (!this.sending) this.pump(this.underway);
    },
    // Acts and turns are answered in the order in which they were done, each waiting for what came before it.
    async pump(before) {
      this.sending = true;
      await before;
      if (!this.turnable) this.pending = 0;
      while (this.pending) {
        const turns = this.pending, waited = this.waiting.splice(0);
        this.pending = 0;
        try {
          const answer = await fetch(this.start.turn, { method: 'POST', body: new URLSearchParams({ turns: turns.toFixed(6) }), headers: { Accept: 'application/json', 'X-CSRFToken': this.csrf } });
          if (!answer.ok) { this.fault = (await answer.json()).words; this.pending = 0; }
        } catch { this.fault = 'The program itself does not answer. The core was not turned.'; this.pending = 0; }
        for (const answered of waited) answered();
      }
      this.sending = false;
      for (const answered of this.waiting.splice(0)) answered();
    },
    // When all that was turned up to now has been answered; what is turned after that waits for nobody.
    turned() { return this.sending ? new Promise((resolve) => { this.waiting.push(resolve); }) : null; },

    /* A foot switch is a keyboard of one key; whatever it sends says “turning back now”. */
    teachFoot() { this.teaching = true; document.activeElement?.blur(); },
    get footWords() { return this.foot ? `It sends ${this.foot}, and says “turning back now”.` : ''; },
    stepped(e) {
      if (this.teaching && !['Escape', 'Tab', 'Enter'].includes(e.key)) {
        this.foot = e.code || e.key; this.teaching = false;
        localStorage.setItem(FOOT, this.foot);
        e.preventDefault();
        return true;
      }
      this.teaching = false;
      if (!this.foot || (e.code || e.key) !== this.foot || this.dialogs().some((d) => d.open)) return false;
      if (!e.repeat) this.press('C');
      e.preventDefault();
      return true;
    },

    key(e) {
      if (this.stepped(e)) return;
      if (e.ctrlKey || e.metaKey || e.altKey) return;
      if (this.dialogs().some((d) => d.open)) return;
      // A browser leaves the focus in a dialog just closed until it next draws: a key pressed before that is the bench's already.
      const closed = e.target.closest('dialog');
      if (closed) e.target.blur();
      if (e.key === 'Escape') { this.forget(); return; }
      const at = closed ? document.body : e.target;
      const field = at.closest('input, textarea, select');
      // No reading begins with a letter, so in the empty field letters are acts, as everywhere.
      if (field && (field.id !== 'reading' || field.value.trim() || /^[0-9.,+-]$/.test(e.key))) return;
      if (this.turnable && this.dial.key(e)) { e.preventDefault(); return; }
      const control = at.closest('button, a, summary');
      if (control && (e.key === 'Enter' || e.key === ' ')) return;
      if (/^[1-9]$/.test(e.key) && !document.getElementById('reading') && this.press(e.key)) { e.preventDefault(); return; }
      if (/^[0-9.,-]$/.test(e.key)) { document.getElementById('reading')?.focus(); return; }
      const name = e.key === ' ' ? 'Space' : e.key.length === 1 ? e.key.toUpperCase() : e.key;
      if (name.length === 1 && !this.shortcuts) return;
      if (e.repeat) return;
      if (this.press(name)) e.preventDefault();
    },
    press(name) {
      const button = [...document.querySelectorAll(`[data-key="${name}"]`)].find((b) => b.offsetParent !== null);
      button?.click();
      return Boolean(button);
    },

    flip() { this.side = this.side === 'above' ? 'below' : 'above'; },
    openKeys() { this.$refs.keys.showModal(); },
    openNote() { this.$refs.note.showModal(); },
    openSkip() { this.$refs.skip.showModal(); },
    openVoid() { this.$refs.disturbed.showModal(); },
    closeDialogs() { for (const dialog of this.dialogs()) if (dialog.open) dialog.close(); document.getElementById('note-words').value = ''; },
    toggleListen() {
      this.listening = !this.listening;
      if (this.listening) this.ear.start(); else this.ear.stop();
      document.activeElement?.blur();
    },
  }));
});
