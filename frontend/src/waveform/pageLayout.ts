import type { TrackSpan } from "../api/client";
import { clock } from "../words/figures";

/** The page: a whole side as lines of waveform, like writing. Pure arithmetic; sizes in CSS pixels. */
export interface PageLine {
  firstSample: number;
  top: number;
}
export interface Wash {
  x: number;
  top: number;
  width: number;
  kind: "even" | "odd" | "outside";
}
export interface Mark {
  x: number;
  top: number;
  key: string;
  side: "start" | "end";
  unsure: boolean;
}
export interface LineTime {
  top: number;
  text: string;
}
export interface Label {
  x: number;
  top: number;
  text: string;
}
export interface PageLayout {
  width: number;
  lineHeight: number;
  samplesPerPx: number;
  samplesPerLine: number;
  lines: PageLine[];
  washes: Wash[];
  marks: Mark[];
  labels: Label[];
  times: LineTime[];
}

export interface PageInput {
  samples: number;
  rateHz: number;
  width: number;
  height: number;
  lineSeconds: number;
  tracks: readonly TrackSpan[];
  firstNumber: number;
  /** No tracks can be marked on it yet, so nothing lies outside them. */
  bare?: boolean;
}

/** How tall the waveform is drawn: one scale for the whole side, never a line's own. */
export type WaveHeight = "full scale" | "fitted" | "quiet" | "noise";
export const WAVE_HEIGHTS: readonly { name: WaveHeight; label: string }[] = [
  { name: "full scale", label: "full scale fills it" },
  { name: "fitted", label: "this side's peak fills it" },
  { name: "quiet", label: "raised by 18 dB" },
  { name: "noise", label: "raised by 36 dB" },
];

/** The factor by which samples are drawn larger than full scale allows. */
export function scaleOf(height: WaveHeight, peakDbfs: number | null): number {
  if (height === "fitted") return Math.min(64, 0.97 / 10 ** ((peakDbfs ?? 0) / 20));
  return { "full scale": 1, quiet: 10 ** (18 / 20), noise: 10 ** (36 / 20) }[height];
}

export const UNSURE_BELOW = 0.7;
const LINE_SECONDS = [10, 15, 20, 30, 60, 90, 120] as const;
const MAX_LINE_PX = 110;
const MIN_LINE_PX = 34;

/** Seconds a line so that the side fills the height with lines one can read, a minute or two for a long side. */
export function fittingLineSeconds(durationS: number, height: number): number {
  const fits = (seconds: number) => Math.ceil(durationS / seconds) * 56 <= height;
  return LINE_SECONDS.find(fits) ?? 120;
}

export function layoutPage(input: PageInput): PageLayout {
  const width = Math.max(1, Math.floor(input.width));
  const samplesPerLine = Math.round(input.lineSeconds * input.rateHz);
  const count = Math.max(1, Math.ceil(input.samples / samplesPerLine));
  const lineHeight = Math.min(MAX_LINE_PX, Math.max(MIN_LINE_PX, Math.floor(input.height / count)));
  const lines = Array.from({ length: count }, (_, line) => ({
    firstSample: line * samplesPerLine,
    top: line * lineHeight,
  }));
  const layout: PageLayout = {
    width,
    lineHeight,
    samplesPerPx: samplesPerLine / width,
    samplesPerLine,
    lines,
    washes: [],
    marks: [],
    labels: [],
    times: lines.slice(1).map((line) => ({ top: line.top, text: clock(line.firstSample, input.rateHz, 0) })),
  };
  let at = 0;
  input.tracks.forEach((track, index) => {
    addWash(layout, at, track.start_sample, "outside");
    addWash(layout, track.start_sample, track.end_sample, index % 2 ? "odd" : "even");
    at = track.end_sample;
    const unsure = (track.confidence ?? 1) < UNSURE_BELOW;
    const start = placeOf(layout, track.start_sample);
    const end = placeOf(layout, Math.max(track.start_sample, track.end_sample - 1));
    layout.marks.push({ ...start, key: track.key, side: "start", unsure });
    layout.marks.push({ ...end, key: track.key, side: "end", unsure });
    layout.labels.push({ x: start.x, top: start.top, text: String(input.firstNumber + index) });
  });
  if (!input.bare) addWash(layout, at, input.samples, "outside");
  return layout;
}

export const pageHeight = (layout: PageLayout): number => layout.lines.length * layout.lineHeight;

/** Where a sample stands on the page. */
export function placeOf(layout: PageLayout, sample: number): { x: number; top: number } {
  const line = Math.min(layout.lines.length - 1, Math.max(0, Math.floor(sample / layout.samplesPerLine)));
  return { x: (sample - line * layout.samplesPerLine) / layout.samplesPerPx, top: line * layout.lineHeight };
}

/** The sample under a point of the page. */
export function sampleAt(layout: PageLayout, x: number, y: number): number {
  const line = Math.min(layout.lines.length - 1, Math.max(0, Math.floor(y / layout.lineHeight)));
  const inside = Math.min(layout.width, Math.max(0, x));
  return Math.round(line * layout.samplesPerLine + inside * layout.samplesPerPx);
}

/** The parts of [from, to) on each line it crosses. */
export function spansOf(layout: PageLayout, from: number, to: number): { x: number; top: number; width: number }[] {
  const spans = [];
  const first = Math.floor(from / layout.samplesPerLine);
  for (let line = first; line * layout.samplesPerLine < to && line < layout.lines.length; line++) {
    const start = Math.max(from, line * layout.samplesPerLine);
    const end = Math.min(to, (line + 1) * layout.samplesPerLine);
    const x = (start - line * layout.samplesPerLine) / layout.samplesPerPx;
    spans.push({ x, top: line * layout.lineHeight, width: (end - start) / layout.samplesPerPx });
  }
  return spans;
}

function addWash(layout: PageLayout, from: number, to: number, kind: Wash["kind"]) {
  if (to > from) layout.washes.push(...spansOf(layout, from, to).map((span) => ({ ...span, kind })));
}
