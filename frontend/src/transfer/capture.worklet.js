/* Runs in the audio thread: hands on what comes in, in pieces of CHUNK frames, with the count of their first frame. */
const CHUNK = 2048;

class Capture extends AudioWorkletProcessor {
  constructor(options) {
    super();
    this.channels = options.processorOptions.channels;
    this.buffer = new Float32Array(CHUNK * this.channels);
    this.filled = 0;
    this.next = null;
  }

  process([input]) {
    const frames = input[0] ? input[0].length : 128;
    // The context's own count goes on when this thread was too late: what it missed shows as a gap.
    if (this.filled > 0 && currentFrame !== this.next) this.hand(currentFrame);
    if (this.filled === 0) this.first = currentFrame;
    for (let i = 0; i < frames; i++) {
      for (let c = 0; c < this.channels; c++) {
        const channel = input[c] || input[0];
        this.buffer[this.filled * this.channels + c] = channel ? channel[i] : 0;
      }
      if (++this.filled === CHUNK) {
        this.hand();
        this.first = currentFrame + i + 1;
      }
    }
    this.next = currentFrame + frames;
    return true;
  }

  hand() {
    const samples = this.buffer.slice(0, this.filled * this.channels);
    this.port.postMessage({ first: this.first, samples }, [samples.buffer]);
    this.filled = 0;
  }
}

registerProcessor("capture", Capture);
