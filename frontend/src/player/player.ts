import { useSyncExternalStore } from "react";

/** What is being heard: part of a take, from exactly one sample on. */
export interface Hearing {
  takeId: number;
  name: string;
  rateHz: number;
  /** Parts of the take that are heard one after the other; the last may be open. */
  spans: readonly Span[];
  loop: boolean;
  playing: boolean;
  trouble: string | null;
}

type Listener = () => void;
type Span = readonly [number, number | null];

/** The one player of the application. Its WAV begins at the sample asked for, so its clock starts there too. */
class Player {
  private readonly audio = new Audio();
  private readonly listeners = new Set<Listener>();
  private hearing: Hearing | null = null;

  constructor() {
    this.audio.preload = "auto";
    for (const name of ["play", "pause", "ended"]) this.audio.addEventListener(name, () => this.note(!this.audio.paused));
    this.audio.addEventListener("error", () => {
      if (this.audio.src && this.hearing) this.set({ ...this.hearing, playing: false, trouble: "this cannot be played" });
    });
  }

  play(takeId: number, name: string, rateHz: number, fromSample: number, toSample: number | null = null): void {
    this.playSpans(takeId, name, rateHz, [[fromSample, toSample]]);
  }

  /** One part of a take, or two right after each other as two tracks will sound; over and over if wanted. */
  playSpans(takeId: number, name: string, rateHz: number, wanted: readonly Span[], loop = false): void {
    const spans = wanted.map(([from, to]): Span => [Math.max(0, Math.floor(from)), to === null ? null : Math.floor(to)]);
    const [first, then] = spans;
    if (!first) return;
    const query = new URLSearchParams({ from_sample: String(first[0]) });
    if (first[1] !== null) query.set("to_sample", String(first[1]));
    if (then?.[1]) {
      query.set("then_from", String(then[0]));
      query.set("then_to", String(then[1]));
    }
    this.audio.loop = loop;
    this.audio.src = `/api/takes/${takeId}/sound.wav?${query}`;
    this.set({ takeId, name, rateHz, spans, loop, playing: true, trouble: null });
    // A newer play interrupts this one: that is no trouble.
    this.audio.play().catch(() => undefined);
  }

  /** Stops, or goes on where it stopped. */
  toggle(): void {
    if (!this.hearing) return;
    if (this.audio.paused) this.audio.play().catch(() => undefined);
    else this.audio.pause();
  }

  stop(): void {
    this.audio.pause();
  }

  /** Where it is now, in samples of the take. */
  position(): number | null {
    if (!this.hearing) return null;
    let left = this.audio.currentTime * this.hearing.rateHz;
    for (const [from, to] of this.hearing.spans) {
      if (to === null || left < to - from) return from + left;
      left -= to - from;
    }
    return this.hearing.spans[this.hearing.spans.length - 1]?.[1] ?? null;
  }

  subscribe = (listener: Listener): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  snapshot = (): Hearing | null => this.hearing;

  private note(playing: boolean): void {
    if (this.hearing && this.hearing.playing !== playing) this.set({ ...this.hearing, playing });
  }

  private set(hearing: Hearing): void {
    this.hearing = hearing;
    this.listeners.forEach((listener) => listener());
  }
}

export const player = new Player();

export const useHearing = (): Hearing | null => useSyncExternalStore(player.subscribe, player.snapshot);
