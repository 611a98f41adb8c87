import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useReducer, useState } from "react";

import { peakIndexQuery } from "../api/queries";
import { WaveformSource } from "./source";

/** The waveform of a take, and a number that grows when more of it has come. */
export function useWaveform(takeId: number | null): { source: WaveformSource | null; loaded: number; error: unknown } {
  const { data: index, error } = useQuery({ ...peakIndexQuery(takeId ?? 0), enabled: takeId !== null });
  const source = useMemo(() => (index && takeId !== null ? new WaveformSource(takeId, index) : null), [takeId, index]);
  const [loaded, more] = useReducer((count: number) => count + 1, 0);
  useEffect(() => {
    if (!source) return;
    let frame = 0;
    const stop = source.onLoad(() => {
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(more);
    });
    return () => {
      stop();
      cancelAnimationFrame(frame);
    };
  }, [source]);
  return { source, loaded, error };
}

/** The size of an element in CSS pixels, as it changes. */
export function useSize(): [(element: HTMLElement | null) => void, { width: number; height: number }] {
  const [element, setElement] = useState<HTMLElement | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      if (entry) setSize({ width: Math.floor(entry.contentRect.width), height: Math.floor(entry.contentRect.height) });
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, [element]);
  return [setElement, size];
}
