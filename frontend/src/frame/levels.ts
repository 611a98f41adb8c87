import { useWaveform } from "../waveform/useSource";

/** Reads how loud a take is at a sample, from its peak pyramid: full scale 1, NaN where it is not known yet. */
export function useLevelReader(takeId: number | null): (sample: number) => number {
  const { source } = useWaveform(takeId);
  return (sample) => source?.peakAt(sample) ?? NaN;
}
