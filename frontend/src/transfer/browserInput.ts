import { Problem } from "../api/client";
import { askBeforeLeaving } from "../frame/leaving";
import captureUrl from "./capture.worklet.js?url&no-inline";
import { socketUrl } from "./live";
import { message, SendBuffer } from "./sendBuffer";

const KEPT_S = 120;
const AGAIN_MS = 500;

/**
 * The archivist's own interface. Lives outside all screens, so that leaving one stops nothing; keeps two minutes of
 * what the server has not got on its disk, and sends it again when a broken connection is back.
 */
export class BrowserInput {
  rateHz = 0;
  channels = 0;
  private stream: MediaStream | null = null;
  private context: AudioContext | null = null;
  private hearing: GainNode | null = null;
  private buffer = new SendBuffer(0);
  private socket: WebSocket | null = null;
  private ready = false;
  private key: string | null = null;
  private timer = 0;
  private sequence = 0;

  /** Asks for the input and learns its rate. Rejects with a Problem that says what to do. */
  async open(deviceId: string | null): Promise<void> {
    this.close();
    if (!navigator.mediaDevices)
      throw new Problem(
        "this page may not listen",
        location.host,
        "Open the application at http://127.0.0.1 or over https",
      );
    let stream: MediaStream;
    try {
      stream = await navigator.mediaDevices.getUserMedia({
        audio: {
          ...(deviceId ? { deviceId: { exact: deviceId } } : {}),
          echoCancellation: false,
          noiseSuppression: false,
          autoGainControl: false,
          channelCount: { ideal: 2 },
        },
      });
    } catch (cause) {
      const denied = cause instanceof DOMException && cause.name === "NotAllowedError";
      throw new Problem(
        denied ? "the browser was not allowed to listen" : "there is no input to listen to",
        "browser input",
        denied
          ? "Allow the microphone for this address, then connect again"
          : "Plug the interface in, then connect again",
      );
    }
    const track = stream.getAudioTracks()[0];
    const settings = track?.getSettings();
    // At the device's own rate nothing is resampled on the way.
    const context = new AudioContext(settings?.sampleRate ? { sampleRate: settings.sampleRate } : {});
    await context.audioWorklet.addModule(captureUrl);
    await context.resume();
    this.stream = stream;
    this.context = context;
    this.rateHz = context.sampleRate;
    this.channels = settings?.channelCount === 1 ? 1 : 2;
    this.buffer = new SendBuffer(KEPT_S * this.rateHz);
    track?.addEventListener("ended", () => this.close());
  }

  /** Sends what comes in to a transfer, from now until `close`. */
  send(key: string): void {
    const { context, stream } = this;
    if (!context || !stream) return;
    this.key = key;
    const source = context.createMediaStreamSource(stream);
    const capture = new AudioWorkletNode(context, "capture", {
      numberOfOutputs: 0,
      channelCount: this.channels,
      channelCountMode: "explicit",
      channelInterpretation: "discrete",
      processorOptions: { channels: this.channels },
    });
    this.hearing = context.createGain();
    this.hearing.gain.value = 0; // muted: what is heard through speakers beside a deck comes back through its stylus
    source.connect(capture);
    source.connect(this.hearing).connect(context.destination);
    capture.port.onmessage = (event: MessageEvent<{ first: number; samples: Float32Array }>) => {
      const one = message(
        this.sequence++,
        event.data.first,
        performance.now() / 1000,
        event.data.samples,
        this.channels,
      );
      this.buffer.add(one);
      if (this.ready && this.socket?.readyState === WebSocket.OPEN) this.socket.send(one.bytes);
    };
    askBeforeLeaving(this, true);
    this.connect();
  }

  /** How loud it is heard, 0 to 1. */
  hear(level: number): void {
    if (this.hearing) this.hearing.gain.value = level;
  }

  close(): void {
    window.clearTimeout(this.timer);
    askBeforeLeaving(this, false);
    this.key = null;
    this.socket?.close();
    this.socket = null;
    this.stream?.getTracks().forEach((track) => track.stop());
    void this.context?.close();
    this.stream = this.context = this.hearing = null;
  }

  private connect(): void {
    if (this.key === null) return;
    const socket = new WebSocket(socketUrl(`/api/v1/transfers/${this.key}/sound`));
    socket.binaryType = "arraybuffer";
    this.socket = socket;
    this.ready = false;
    socket.onmessage = (event: MessageEvent<string>) => {
      const told = JSON.parse(event.data) as { next_sample?: number | null; safe_sample?: number | null };
      if (told.next_sample !== undefined) {
        for (const one of this.buffer.from(told.next_sample)) socket.send(one.bytes);
        this.ready = true;
      } else if (typeof told.safe_sample === "number") this.buffer.forget(told.safe_sample);
    };
    socket.onclose = (event) => {
      if (this.socket !== socket || this.key === null) return;
      this.ready = false;
      if (event.code === 1008) return this.close(); // the transfer is over
      this.timer = window.setTimeout(() => this.connect(), AGAIN_MS);
    };
  }
}

export const browserInput = new BrowserInput();
