import { useSyncExternalStore } from "react";

import type { ListenFor, Place, Span } from "./programme";
import { Reel, type Sound } from "./reel";

/** A take as the player needs to know it. */
export interface Played {
  takeId: number;
  name: string;
  rateHz: number;
  channels: number;
  /** The side whose plan it is heard under; without one it is heard as it was. */
  side: SideSound | null;
}

/** A side under one version of its plan. */
export interface SideSound {
  sideId: number;
  version: number;
  speedRatio: number;
  gainsDb: Partial<Record<ListenFor, number>>;
}

/** What is being heard: parts of a take, from exactly one sample on. */
export interface Hearing extends Played {
  /** Heard one after the other; the last may be open. */
  spans: readonly Span[];
  loop: boolean;
  playing: boolean;
  trouble: string | null;
}

type Listener = () => void;

/** The one player of the application. What one listens for, and the plan, may change while it plays: without a gap. */
class Player {
  private readonly listeners = new Set<Listener>();
  private hearing: Hearing | null = null;
  private wanted: ListenFor = "repaired";
  private context: AudioContext | null = null;
  private reel: Reel | null = null;
  private coming: Reel | null = null;
  private left: Place | null = null;

  play(what: Played, fromSample: number, toSample: number | null = null): void {
    this.playSpans(what, [[fromSample, toSample]]);
  }

  /** One part of a take, or more right after each other as two tracks will sound; over and over if wanted. */
  playSpans(what: Played, wanted: readonly Span[], loop = false): void {
    const spans = wanted.map(([from, to]): Span => [
      Math.max(0, Math.floor(from)),
      to === null ? null : Math.floor(to),
    ]);
    const first = spans[0];
    if (!first) return;
    this.set({ ...what, spans, loop, playing: true, trouble: null });
    this.begin({ span: 0, sample: first[0] });
  }

  /** Stops, or goes on where it stopped. */
  toggle(): void {
    const { hearing } = this;
    if (!hearing) return;
    if (hearing.playing) this.stop();
    else {
      this.set({ ...hearing, playing: true, trouble: null });
      this.begin(this.left ?? { span: 0, sample: hearing.spans[0]?.[0] ?? 0 });
    }
  }

  stop(): void {
    this.left = this.reel?.place() ?? this.left;
    this.silence();
    if (this.hearing?.playing) this.set({ ...this.hearing, playing: false });
  }

  /** Where it is now, in samples of the take. */
  position(): number | null {
    return (this.reel?.place() ?? this.left)?.sample ?? null;
  }

  /** Listens for something else from now on. */
  listenFor(wanted: ListenFor): void {
    this.wanted = wanted;
    this.takeOver();
    this.tell();
  }

  listening = (): ListenFor => this.wanted;

  /** The plan of a take's side has changed, or can now be heard more truly: what plays goes on under the new one. */
  follow(takeId: number, side: SideSound | null): void {
    const { hearing } = this;
    if (hearing?.takeId !== takeId || hearing.side === side) return;
    this.set({ ...hearing, side });
    if (this.wanted !== "as it was") this.takeOver();
  }

  subscribe = (listener: Listener): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  snapshot = (): Hearing | null => this.hearing;

  private begin(place: Place): void {
    this.silence();
    this.left = place;
    const reel = this.reelAt(place, null);
    if (!reel) return;
    this.coming = reel;
    void this.context?.resume();
    reel.prepare().then(
      () => {
        if (this.coming !== reel) return;
        this.coming = null;
        this.reel = reel;
        reel.start();
      },
      (cause: unknown) => this.coming === reel && this.ended(reel, String((cause as Error).message)),
    );
  }

  /** The same from where it is, as another sound: the old one sounds until the new one is here. */
  private takeOver(): void {
    if (!this.hearing?.playing) return;
    const place = this.reel?.place();
    if (!place) return this.begin(this.left ?? { span: 0, sample: this.hearing.spans[0]?.[0] ?? 0 });
    this.coming?.stop();
    const next = this.reelAt(place, this.reel);
    if (!next) return;
    this.coming = next;
    next.prepare().then(
      () => {
        if (this.coming !== next) return next.stop();
        this.coming = null;
        next.start();
        this.reel = next;
      },
      (cause: unknown) => this.coming === next && this.ended(next, String((cause as Error).message)),
    );
  }

  private reelAt(place: Place, over: Reel | null): Reel | null {
    const { hearing } = this;
    if (!hearing) return null;
    if (this.context?.sampleRate !== hearing.rateHz) {
      void this.context?.close();
      // At the take's own rate: nothing is resampled between two pieces.
      this.context = new AudioContext({ sampleRate: hearing.rateHz });
    }
    const reel: Reel = new Reel(
      this.context,
      soundOf(hearing, this.wanted),
      hearing.channels,
      hearing.spans,
      place,
      hearing.loop,
      over,
      (trouble) => this.ended(reel, trouble),
    );
    return reel;
  }

  private ended(reel: Reel, trouble: string | null): void {
    if (reel !== this.reel && reel !== this.coming) return;
    this.silence();
    this.left = null;
    if (this.hearing) this.set({ ...this.hearing, playing: false, trouble });
  }

  private silence(): void {
    this.reel?.stop();
    this.coming?.stop();
    this.reel = this.coming = null;
  }

  private set(hearing: Hearing): void {
    this.hearing = hearing;
    this.tell();
  }

  private tell(): void {
    this.listeners.forEach((listener) => listener());
  }
}

/** What is listened for, where there is a plan to hear it under; else the take as it was. */
function soundOf({ takeId, side }: Played, listen: ListenFor): Sound {
  if (!side || listen === "as it was")
    return {
      listen: "as it was",
      ratio: 1,
      gainDb: side?.gainsDb["as it was"] ?? 0,
      url: (first, count) => `/api/v1/takes/${takeId}/samples?first_sample=${first}&samples=${count}`,
    };
  const query = `version=${side.version}&listen=${encodeURIComponent(listen)}`;
  return {
    listen,
    ratio: side.speedRatio,
    gainDb: side.gainsDb[listen] ?? 0,
    url: (first, count) => `/api/v1/sides/${side.sideId}/heard?${query}&first_sample=${first}&samples=${count}`,
  };
}

export const player = new Player();

export const useHearing = (): Hearing | null => useSyncExternalStore(player.subscribe, player.snapshot);
export const useListenFor = (): ListenFor => useSyncExternalStore(player.subscribe, player.listening);
