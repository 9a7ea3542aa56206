/* Listen: a tone whose pitch follows the reading and whose timbre changes past the crest. Off until asked for. */
(() => {
  const BASE_HZ = 330, OCTAVE_DB = 6;
  window.Listening = class {
    start() {
      this.audio ??= new AudioContext();
      this.audio.resume();
      this.gain = this.audio.createGain();
      this.gain.gain.value = 0;
      this.gain.connect(this.audio.destination);
      this.tone = this.audio.createOscillator();
      this.tone.type = 'sine';
      this.tone.connect(this.gain);
      this.tone.start();
    }
    stop() { this.tone?.stop(); this.gain?.disconnect(); this.tone = this.gain = null; }
    hear(pitchDb, way) {
      if (!this.tone) return;
      const now = this.audio.currentTime, pitch = BASE_HZ * 2 ** (Math.max(-12, Math.min(18, pitchDb)) / OCTAVE_DB);
      this.tone.frequency.setTargetAtTime(pitch, now, 0.03);
      this.tone.type = way === 'approach' || way === 'turn_back' ? 'sawtooth' : way === 'rest' ? 'triangle' : 'sine';
      this.gain.gain.setTargetAtTime(this.tone.type === 'sawtooth' ? 0.04 : 0.1, now, 0.05);
    }
    say(words) {
      if (!('speechSynthesis' in window)) return;
      speechSynthesis.cancel();
      speechSynthesis.speak(new SpeechSynthesisUtterance(words));
    }
  };
})();
