import { bytes } from "../api/bytes";
import {
  type ListenFor,
  pieceAfter,
  pieceAt,
  type Piece,
  piecesFrom,
  type Place,
  type Span,
  takeSampleAt,
} from "./programme";

/** A sound that can be asked for in pieces: a take, or a side under one version of its plan. */
export interface Sound {
  listen: ListenFor;
  /** By how much faster it is than the take. */
  ratio: number;
  /** By how much it is turned down, so that what one switches between is equally loud. */
  gainDb: number;
  url: (first: number, count: number) => string;
}

/** A piece that has come, as long as it came. */
interface Fetched extends Piece {
  buffer: AudioBuffer;
}

interface Sounding {
  piece: Piece;
  given: number;
  at: number;
  until: number;
  node: AudioBufferSourceNode;
}

const FIRST_S = 0.4;
const PIECE_S = 1.5;
const AHEAD_S = 2.5;
const PUMP_MS = 100;
const FADE_S = 0.012;
const LEAD_S = 0.03;
// Two that are to lie on each other to the sample are laid so far ahead that no hold-up of the page comes between.
const OVER_LEAD_S = 0.1;
const OVER_FIRST_S = 0.6;
const MOST_READY = 12;

/**
 * A programme of one sound on its way through the loudspeaker: fetched a piece at a time and laid end to end.
 * It may begin in the middle of its first piece, so that it can take over from another without a gap.
 */
export class Reel {
  private readonly gain: GainNode;
  private readonly laid: Sounding[] = [];
  private readonly abort = new AbortController();
  private timer: ReturnType<typeof setInterval> | null = null;
  private next: Piece | null;
  private until = 0;
  private fetching = false;
  private ready: Fetched[] = [];
  private begun = 0;

  constructor(
    private readonly context: AudioContext,
    readonly sound: Sound,
    private readonly channels: number,
    private readonly spans: readonly Span[],
    place: Place,
    private readonly loop: boolean,
    /** What it takes over from, until it has. */
    private over: Reel | null,
    private readonly onEnd: (trouble: string | null) => void,
  ) {
    this.gain = context.createGain();
    this.gain.gain.value = 0;
    this.gain.connect(context.destination);
    this.next = pieceAt(spans, place, sound.ratio, Math.round((over ? OVER_FIRST_S : FIRST_S) * context.sampleRate));
  }

  /** Fetches its first piece; more if it takes over from another that has come too far meanwhile. */
  async prepare(): Promise<void> {
    let took = 0;
    while (this.next && (this.ready.length === 0 || (!this.isAhead(took) && this.ready.length < MOST_READY))) {
      const asked = this.context.currentTime;
      const piece = this.next;
      const buffer = await this.fetch(piece);
      took = this.context.currentTime - asked;
      if (buffer) this.ready.push({ ...piece, count: buffer.length, buffer });
      this.next = this.after(piece, buffer);
    }
  }

  /** Begins to sound a moment from now, at its beginning or, taking over, where the other then is, which it stops. */
  start(): void {
    let lead = this.over ? OVER_LEAD_S : LEAD_S;
    let when = this.layFrom(lead);
    // Laid too late, it would lie beside the other: once more, with more time.
    while (this.over && this.context.currentTime > when - lead / 2 && lead < 1) {
      for (const { node } of this.laid.splice(0)) node.disconnect();
      lead *= 2;
      when = this.layFrom(lead);
    }
    const level = 10 ** (this.sound.gainDb / 20);
    this.gain.gain.setValueAtTime(0, when);
    this.gain.gain.linearRampToValueAtTime(level, when + FADE_S);
    this.over?.stop(when);
    this.over = null;
    this.begun = when;
    this.ready = [];
    this.timer = setInterval(() => this.pump(), PUMP_MS);
    this.pump();
  }

  /** Stops sounding softly, and for good: never before it has come up, for what it took over from is gone by then. */
  stop(wanted = this.context.currentTime + LEAD_S): void {
    if (this.abort.signal.aborted) return;
    this.abort.abort();
    if (this.timer) clearInterval(this.timer);
    const last = this.laid.at(-1);
    if (!last) return this.gain.disconnect();
    const when = Math.max(wanted, this.begun + FADE_S);
    this.gain.gain.setValueAtTime(10 ** (this.sound.gainDb / 20), when);
    this.gain.gain.linearRampToValueAtTime(0, when + FADE_S);
    for (const { node } of this.laid) node.stop(when + FADE_S);
    // By the sound card's clock: a busy machine's runs behind the wall's, and what still sounds would be cut off.
    last.node.onended = () => this.gain.disconnect();
  }

  /** Where it is, or will be at a time; none before it has begun. */
  place(when = this.context.currentTime): Place | null {
    const now =
      this.laid.find(({ at, until }) => when >= at && when < until) ??
      (when < (this.laid[0]?.at ?? 0) ? this.laid[0] : this.laid.at(-1));
    if (!now) return null;
    const sounded = now.piece.first + Math.min(now.given, Math.max(0, (when - now.at) * this.context.sampleRate));
    return { span: now.piece.span, sample: takeSampleAt(sounded, this.sound.ratio) };
  }

  private after(piece: Piece, buffer: AudioBuffer | null): Piece | null {
    const samples = Math.round(PIECE_S * this.context.sampleRate);
    return pieceAfter(this.spans, piece, buffer?.length ?? 0, this.sound.ratio, samples, this.loop);
  }

  /** Whether what is ready lasts, from where the other will be, until the next piece can be here. */
  private isAhead(took: number): boolean {
    if (!this.over) return true;
    const place = this.over.place(this.context.currentTime + OVER_LEAD_S);
    const joined = place && piecesFrom(this.ready, place, this.sound.ratio);
    if (!joined) return false;
    const samples = joined.pieces.reduce((sum, { count }) => sum + count, -joined.skip);
    return samples / this.context.sampleRate > 2 * took + OVER_LEAD_S;
  }

  /** Lays what is ready, to begin so many seconds from now or as soon as the other has; says when that is. */
  private layFrom(lead: number): number {
    const { over } = this;
    const when = this.toSample(Math.max(this.context.currentTime + lead, over ? over.begun + FADE_S : 0));
    const place = over?.place(when);
    const joined = (place && piecesFrom(this.ready, place, this.sound.ratio)) ?? { skip: 0, pieces: this.ready };
    this.until = when;
    joined.pieces.forEach((piece, index) => this.lay(piece, piece.buffer, index === 0 ? joined.skip : 0));
    return when;
  }

  /** A time at which a sample begins: between two, the sound card would mix them. */
  private toSample(seconds: number): number {
    return Math.ceil(seconds * this.context.sampleRate) / this.context.sampleRate;
  }

  private pump(): void {
    while (this.laid.length > 1 && (this.laid[0]?.until ?? Infinity) < this.context.currentTime - 0.5)
      this.laid.shift();
    if (!this.next && this.context.currentTime >= this.until) {
      this.stop();
      this.onEnd(null);
      return;
    }
    if (!this.next || this.fetching || this.until > this.context.currentTime + AHEAD_S) return;
    const piece = this.next;
    this.fetching = true;
    this.fetch(piece).then(
      (buffer) => {
        this.fetching = false;
        if (this.abort.signal.aborted) return;
        if (buffer) this.lay(piece, buffer, 0);
        this.next = this.after(piece, buffer);
        this.pump();
      },
      (cause: unknown) => {
        if (this.abort.signal.aborted) return;
        this.stop();
        this.onEnd(cause instanceof Error ? cause.message : "this cannot be played");
      },
    );
  }

  private lay(piece: Piece, buffer: AudioBuffer, skip: number): void {
    const node = this.context.createBufferSource();
    node.buffer = buffer;
    node.connect(this.gain);
    // What came late begins late, but nothing is lost.
    const at = Math.max(this.until, this.toSample(this.context.currentTime + 0.005));
    const given = buffer.length - skip;
    node.start(at, skip / this.context.sampleRate);
    this.until = at + given / this.context.sampleRate;
    this.laid.push({ piece: { ...piece, first: piece.first + skip }, given, at, until: this.until, node });
  }

  private async fetch(piece: Piece): Promise<AudioBuffer | null> {
    const response = await bytes(this.sound.url(piece.first, piece.count), { signal: this.abort.signal });
    const data = new Float32Array(await response.arrayBuffer());
    const count = data.length / this.channels;
    if (count < 1) return null;
    const buffer = this.context.createBuffer(this.channels, count, this.context.sampleRate);
    for (let channel = 0; channel < this.channels; channel++) {
      const line = buffer.getChannelData(channel);
      for (let i = 0; i < count; i++) line[i] = data[i * this.channels + channel] ?? 0;
    }
    return buffer;
  }
}
