/* Runs where the browser makes sound: gathers samples into blocks, 16 bits each, and hands them to the page. */
class EarsTap extends AudioWorkletProcessor {
  constructor({ processorOptions }) { super(); this.block = new Int16Array(Math.round(sampleRate * processorOptions.blockS)); this.at = 0; }
  process(inputs) {
    const heard = inputs[0][0];
    if (heard) {
      for (const v of heard) {
        this.block[this.at++] = Math.round(Math.max(-1, Math.min(1, v)) * 32767);
        if (this.at === this.block.length) {
          const full = this.block.slice();
          this.port.postMessage(full.buffer, [full.buffer]);
          this.at = 0;
        }
      }
    }
    return true;
  }
}
registerProcessor('ears-tap', EarsTap);
