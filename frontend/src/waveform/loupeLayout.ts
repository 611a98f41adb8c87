import type { Plan } from "../api/client";
import { clock } from "../words/figures";
import { type Edge, edgesOf } from "./edges";
import { UNSURE_BELOW, type Wash } from "./pageLayout";

/** What the loupe looks at: the sample at its left edge, and how many lie in a CSS pixel. */
export interface LoupeView {
  firstSample: number;
  samplesPerPx: number;
}

export interface LoupeEdge extends Edge {
  x: number;
  unsure: boolean;
  text: string;
}

export interface LoupeLayout extends LoupeView {
  width: number;
  height: number;
  waveTop: number;
  waveHeight: number;
  washes: Pick<Wash, "x" | "width" | "kind">[];
  edges: LoupeEdge[];
  ticks: { x: number; text: string }[];
}

export const MIN_SAMPLES_PER_PX = 1 / 16;
export const MAX_SPAN_S = 30;
const RULER_PX = 16;
const TICK_STEPS_S = [0.0001, 0.0005, 0.001, 0.005, 0.01, 0.05, 0.1, 0.5, 1, 5];

/** A join by the numbers of the tracks it parts, any other edge by the number of its track. */
function edgeName(edge: { kind: string; index: number }, firstNumber: number): string {
  const number = firstNumber + edge.index;
  return edge.kind === "join" ? `${number - 1}|${number}` : `${number}`;
}

export function layoutLoupe(
  plan: Plan,
  rateHz: number,
  view: LoupeView,
  width: number,
  height: number,
  firstNumber: number,
): LoupeLayout {
  const tracks = plan.tracks ?? [];
  const toPx = (sample: number) => (sample - view.firstSample) / view.samplesPerPx;
  const washes: LoupeLayout["washes"] = [];
  const wash = (from: number, to: number, kind: Wash["kind"]) => {
    const [left, right] = [Math.max(0, toPx(from)), Math.min(width, toPx(to))];
    if (right > left) washes.push({ x: left, width: right - left, kind });
  };
  let at = 0;
  tracks.forEach((track, index) => {
    wash(at, track.start_sample, "outside");
    wash(track.start_sample, track.end_sample, index % 2 ? "odd" : "even");
    at = track.end_sample;
  });
  wash(at, plan.take_samples, "outside");
  const edges = edgesOf(tracks)
    .map((edge) => ({
      ...edge,
      x: toPx(edge.sample),
      unsure: (edge.confidence ?? 1) < UNSURE_BELOW,
      text: `${edgeName(edge, firstNumber)} ${clock(edge.sample, rateHz)}`,
    }))
    .filter((edge) => edge.x > -80 && edge.x < width + 80);
  return {
    ...view,
    width,
    height,
    waveTop: RULER_PX,
    waveHeight: height - RULER_PX,
    washes,
    edges,
    ticks: ticksOf(view, rateHz, width, plan.take_samples),
  };
}

/** The view magnified by a factor around a pixel, within single samples and half a minute. */
export function magnify(
  view: LoupeView,
  factor: number,
  aroundPx: number,
  width: number,
  rateHz: number,
  samples: number,
): LoupeView {
  const most = Math.min(MAX_SPAN_S * rateHz, samples) / width;
  const samplesPerPx = Math.min(
    Math.max(most, MIN_SAMPLES_PER_PX),
    Math.max(MIN_SAMPLES_PER_PX, view.samplesPerPx * factor),
  );
  const anchor = view.firstSample + aroundPx * view.samplesPerPx;
  return within({ firstSample: anchor - aroundPx * samplesPerPx, samplesPerPx }, width, samples);
}

export const shift = (view: LoupeView, byPx: number, width: number, samples: number): LoupeView =>
  within({ ...view, firstSample: view.firstSample + byPx * view.samplesPerPx }, width, samples);

/** The view with a sample in its middle. */
export const centre = (view: LoupeView, sample: number, width: number, samples: number): LoupeView =>
  within({ ...view, firstSample: sample - (width / 2) * view.samplesPerPx }, width, samples);

function within(view: LoupeView, width: number, samples: number): LoupeView {
  const last = Math.max(0, samples - width * view.samplesPerPx);
  return { ...view, firstSample: Math.min(last, Math.max(0, view.firstSample)) };
}

function ticksOf(view: LoupeView, rateHz: number, width: number, samples: number): LoupeLayout["ticks"] {
  const minStepS = (100 * view.samplesPerPx) / rateHz;
  const stepS = TICK_STEPS_S.find((step) => step >= minStepS) ?? 5;
  const decimals = stepS < 0.001 ? 4 : stepS < 1 ? 3 : 0;
  const ticks = [];
  const firstTick = Math.ceil(view.firstSample / rateHz / stepS);
  for (let tick = firstTick; ; tick++) {
    const sample = tick * stepS * rateHz;
    const x = (sample - view.firstSample) / view.samplesPerPx;
    if (x > width || sample > samples) return ticks;
    ticks.push({ x, text: clock(sample, rateHz, decimals) });
  }
}
