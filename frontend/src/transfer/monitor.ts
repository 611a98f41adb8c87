import { socketUrl } from "./live";

const AHEAD_S = 0.25;
const TOO_FAR_S = 1.0;

/** Lets one hear what a server-side source plays, a quarter of a second late. */
export class Monitor {
  private readonly socket: WebSocket;
  private context: AudioContext | null = null;
  private gain: GainNode | null = null;
  private channels = 2;
  private until = 0;

  constructor(
    key: string,
    private level: number,
  ) {
    this.socket = new WebSocket(socketUrl(`/api/v1/transfers/${key}/monitor`));
    this.socket.binaryType = "arraybuffer";
    this.socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
      if (typeof event.data === "string") {
        const told = JSON.parse(event.data) as { rate_hz: number; channels: number };
        this.context = new AudioContext({ sampleRate: told.rate_hz });
        this.gain = this.context.createGain();
        this.gain.gain.value = this.level;
        this.gain.connect(this.context.destination);
        this.channels = told.channels;
      } else this.play(new Float32Array(event.data));
    };
  }

  /** How loud, 0 to 1. */
  set(level: number): void {
    this.level = level;
    if (this.gain) this.gain.gain.value = level;
  }

  close(): void {
    this.socket.close();
    void this.context?.close();
  }

  private play(samples: Float32Array): void {
    const { context, channels, gain } = this;
    const frames = samples.length / channels;
    if (!context || !gain || !frames) return;
    // A source that runs faster than time is heard in part only: what would pile up is left out.
    if (this.until > context.currentTime + TOO_FAR_S) return;
    const block = context.createBuffer(channels, frames, context.sampleRate);
    for (let c = 0; c < channels; c++) {
      const line = block.getChannelData(c);
      for (let i = 0; i < frames; i++) line[i] = samples[i * channels + c] ?? 0;
    }
    const node = context.createBufferSource();
    node.buffer = block;
    node.connect(gain);
    this.until = this.until > context.currentTime ? this.until : context.currentTime + AHEAD_S;
    node.start(this.until);
    this.until += block.duration;
  }
}
