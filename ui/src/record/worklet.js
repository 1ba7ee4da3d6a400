/* global AudioWorkletProcessor, registerProcessor, currentFrame */
/**
 * Hands on what the microphone hears, in lots of so many frames, channels in turn, with the number of the
 * first frame on the clock of the page's audio. It runs on the audio thread, where nothing may wait.
 */
class Taking extends AudioWorkletProcessor {
  constructor(options) {
    super();
    const { size, channels } = options.processorOptions;
    this.size = size;
    this.channels = channels;
    this.lot = new Float32Array(size * channels);
    this.filled = 0;
    this.first = 0;
  }

  process(inputs) {
    const heard = inputs[0] ?? [];
    // A device that is gone hands on nothing; what it would have played is silence, so that time goes on.
    const frames = heard[0] ? heard[0].length : 128;
    for (let k = 0; k < frames; k++) {
      if (this.filled === 0) this.first = currentFrame + k;
      for (let c = 0; c < this.channels; c++)
        this.lot[this.filled * this.channels + c] = heard[c] ? heard[c][k] : 0;
      this.filled += 1;
      if (this.filled === this.size) {
        this.port.postMessage({ first: this.first, samples: this.lot }, [this.lot.buffer]);
        this.lot = new Float32Array(this.size * this.channels);
        this.filled = 0;
      }
    }
    return true;
  }
}

registerProcessor('taking', Taking);
