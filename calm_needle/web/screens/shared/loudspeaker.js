/* The practice set's loudspeaker, made to sound: asks the server for the next tenth of a second whenever less than that is in hand. */
(() => {
  const BLOCK_S = 0.1;
  window.Loudspeaker = class {
    /* from: where samples are asked for; player: the address of the worklet that plays them; lost: called when there are none to be had. */
    constructor({ from, player, csrf, lost }) { Object.assign(this, { from, player, csrf, lost, node: null }); }
    async open(context) {
      await context.audioWorklet.addModule(this.player);
      const node = this.node = new AudioWorkletNode(context, 'loudspeaker', { numberOfInputs: 0, outputChannelCount: [1] });
      const about = new URLSearchParams({ rate: context.sampleRate, samples: Math.round(context.sampleRate * BLOCK_S) });
      node.port.onmessage = async () => {
        try {
          const answer = await fetch(`${this.from}?${about}`, { method: 'POST', headers: { Accept: 'application/json', 'X-CSRFToken': this.csrf } });
          if (this.node !== node) return;
          if (!answer.ok) { this.close(); this.lost((await answer.json()).words); return; }
          const volts = await answer.arrayBuffer();
          node.port.postMessage(volts, [volts]);
        } catch { if (this.node === node) { this.close(); this.lost(''); } }
      };
      return node;
    }
    close() { this.node?.disconnect(); this.node?.port.close(); this.node = null; }
  };
})();
