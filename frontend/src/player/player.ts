import { useSyncExternalStore } from "react";

/** What is being heard: part of a take, from exactly one sample on. */
export interface Hearing {
  takeId: number;
  name: string;
  rateHz: number;
  fromSample: number;
  toSample: number | null;
  playing: boolean;
  trouble: string | null;
}

type Listener = () => void;

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
    const from = Math.max(0, Math.floor(fromSample));
    const query = new URLSearchParams({ from_sample: String(from) });
    if (toSample !== null) query.set("to_sample", String(Math.floor(toSample)));
    this.audio.src = `/api/takes/${takeId}/sound.wav?${query}`;
    this.set({ takeId, name, rateHz, fromSample: from, toSample, playing: true, trouble: null });
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
    return this.hearing && this.hearing.fromSample + this.audio.currentTime * this.hearing.rateHz;
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
