import { useEffect, useReducer, useRef, useState } from "react";

import type { HearingState } from "../api/client";
import type { ListenFor } from "../player/programme";
import { HeardSource, type WaveformSource } from "../waveform/source";

/** What of the sound the loupe looks at, in the sound's own samples. */
export interface Looked {
  first: number;
  count: number;
}

/**
 * A side as listened for, to be drawn, and a number that grows when more of it has come. When the plan changes, the old
 * picture stays until the stretch that is looked at has come anew.
 */
export function useHeard(
  sideId: number,
  state: HearingState | null,
  listen: ListenFor,
  like: WaveformSource,
  looked: Looked,
): [HeardSource | null, number] {
  const [shown, setShown] = useState<HeardSource | null>(null);
  const [loaded, more] = useReducer((count: number) => count + 1, 0);
  const latest = useRef(looked);
  useEffect(() => {
    latest.current = looked;
  });
  const ready = state !== null && state.lacks !== "scan";
  const { version = 0, samples = 0, exact = false } = state ?? {};
  useEffect(() => {
    if (!ready) return;
    const source = new HeardSource(sideId, version, listen, like.index, samples);
    const show = () => {
      const { first, count } = latest.current;
      // Asking for what is not here yet has it fetched.
      const ends = [first, Math.min(samples, first + count) - 1].map((at) => source.samples(0, Math.max(0, at), 1)[0]);
      if (ends.every((value) => !Number.isNaN(value))) setShown(source);
    };
    const stop = source.onLoad(() => {
      show();
      more();
    });
    show();
    return stop;
  }, [sideId, version, samples, exact, ready, listen, like]);
  return [ready ? shown : null, loaded];
}
