import { useSyncExternalStore } from "react";

import { player } from "./player";

/** Whole tracks and files, heard from anywhere: one at a time, and never beside a side that is worked on. */
export interface TrackHeard {
  sound: string;
  name: string;
  playing: boolean;
  trouble: string | null;
}

class TrackPlayer {
  private readonly listeners = new Set<() => void>();
  private heard: TrackHeard | null = null;
  private audio: HTMLAudioElement | null = null;

  constructor() {
    player.subscribe(() => {
      if (this.heard && player.snapshot()?.playing) this.stop();
    });
  }

  play(sound: string, name: string): void {
    player.stop();
    this.heard = { sound, name, playing: true, trouble: null };
    this.tell();
    const audio = this.element();
    audio.src = sound;
    void audio.play().catch((fault: unknown) => this.failed(fault));
  }

  toggle(): void {
    if (!this.heard) return;
    const audio = this.element();
    if (this.heard.playing) audio.pause();
    else void audio.play().catch((fault: unknown) => this.failed(fault));
  }

  stop(): void {
    this.audio?.pause();
    this.heard = null;
    this.tell();
  }

  seconds(): number {
    return this.audio?.currentTime ?? 0;
  }

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  current = (): TrackHeard | null => this.heard;

  private element(): HTMLAudioElement {
    if (this.audio) return this.audio;
    const audio = new Audio();
    audio.onplay = () => this.change({ playing: true, trouble: null });
    audio.onpause = () => this.change({ playing: false });
    audio.onended = () => this.change({ playing: false });
    audio.onerror = () => this.failed(audio.error?.message);
    this.audio = audio;
    return audio;
  }

  private failed(fault: unknown): void {
    // Another track chosen before this one began is no trouble.
    if (fault instanceof DOMException && fault.name === "AbortError") return;
    this.change({
      playing: false,
      trouble: "it cannot be played: the file is gone, or of a kind that this browser does not know",
    });
  }

  private change(what: Partial<TrackHeard>): void {
    if (!this.heard) return;
    this.heard = { ...this.heard, ...what };
    this.tell();
  }

  private tell(): void {
    for (const listener of this.listeners) listener();
  }
}

export const trackPlayer = new TrackPlayer();
export const useTrackHeard = (): TrackHeard | null => useSyncExternalStore(trackPlayer.subscribe, trackPlayer.current);
