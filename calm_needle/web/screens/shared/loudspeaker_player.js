/* Runs where the browser makes sound: plays what it is handed, one block after the other, and asks in time for the next. Volts go out. */
class LoudspeakerPlayer extends AudioWorkletProcessor {
  constructor() {
    super();
    this.blocks = []; this.at = 0; this.left = 0; this.asked = false; this.begun = false;
    this.port.onmessage = (m) => {
      const volts = new Float32Array(m.data);
      this.blocks.push(volts); this.left += volts.length; this.asked = false;
    };
  }
  process(_, outputs) {
    const out = outputs[0][0], low = sampleRate / 5;
    if (this.left < low && !this.asked) { this.asked = true; this.port.postMessage('more'); }
    if (!this.begun && this.left < low) return true; // it begins with something in hand
    this.begun = this.left >= out.length;
    if (!this.begun) return true;
    for (let i = 0; i < out.length; i++) {
      while (this.at >= this.blocks[0].length) { this.blocks.shift(); this.at = 0; }
      out[i] = this.blocks[0][this.at++];
    }
    this.left -= out.length;
    return true;
  }
}
registerProcessor('loudspeaker', LoudspeakerPlayer);
