import { drawSamples, drawWave, hatching } from "../waveform/drawing";
import { FIGURE_FONT, type Ink } from "../waveform/ink";
import type { LoupeView } from "../waveform/loupeLayout";
import type { WaveformSource } from "../waveform/source";
import { clock } from "../words/figures";
import type { PlacedRepair } from "./places";

/** One thing listened for, over all channels that are shown. */
export interface Lane {
  name: string;
  source: WaveformSource | null;
  /** By how much faster its time runs than the take's. */
  ratio: number;
}

export interface Lanes {
  view: LoupeView;
  width: number;
  height: number;
  rateHz: number;
  channels: readonly number[];
  repairs: readonly PlacedRepair[];
  chosen: { start: number; end: number } | null;
  selection: { from: number; to: number } | null;
  /** What a hand is drawing over the first lane: in which channel, from which sample on. */
  drawn: { channel: number; start: number; values: readonly number[] } | null;
}

export const RULER_PX = 16;

export const laneHeight = (layout: Lanes, lanes: number): number => (layout.height - RULER_PX) / lanes;

export function drawLanes(ctx: CanvasRenderingContext2D, lanes: readonly Lane[], layout: Lanes, ink: Ink): number {
  const { view, width, channels } = layout;
  const x = (sample: number) => (sample - view.firstSample) / view.samplesPerPx;
  const tall = laneHeight(layout, lanes.length);
  const strip = tall / channels.length;
  const scale = fitted(lanes[0]?.source ?? null, layout);
  const hatch = hatching(ctx, ink);
  ctx.font = FIGURE_FONT;
  ctx.textBaseline = "top";
  for (const { start, end, mended } of layout.repairs) {
    ctx.fillStyle = mended ? ink.washEven : hatch;
    ctx.fillRect(x(start), RULER_PX, Math.max(1.5, x(end) - x(start)), layout.height - RULER_PX);
  }
  drawRuler(ctx, layout, ink);
  lanes.forEach((lane, row) => {
    const top = RULER_PX + row * tall;
    ctx.fillStyle = ink.rule;
    ctx.fillRect(0, top, width, row ? 1.5 : 0.5);
    channels.forEach((channel, index) => {
      const middle = top + strip * (index + 0.5);
      const own = { firstSample: view.firstSample / lane.ratio, samplesPerPx: view.samplesPerPx / lane.ratio, width };
      ctx.fillStyle = ink.rule;
      ctx.fillRect(0, middle, width, 1);
      if (!lane.source) return;
      ctx.save();
      ctx.beginPath();
      ctx.rect(0, middle - strip / 2 + 1, width, strip - 2);
      ctx.clip();
      if (own.samplesPerPx < 1) drawSamples(ctx, own, lane.source, channel, middle, (strip / 2 - 3) * scale, ink);
      else
        drawWave(
          ctx,
          lane.source.columns(channel, own.firstSample, own.samplesPerPx, width),
          middle,
          strip / 2 - 3,
          scale,
          ink,
        );
      ctx.restore();
      if (row === 0 && layout.drawn?.channel === channel) drawHand(ctx, layout, middle, (strip / 2 - 3) * scale, ink);
    });
    label(ctx, `${lane.name}${channels.length > 1 ? "" : channels[0] ? ", right" : ", left"}`, top, ink);
  });
  if (layout.chosen) frame(ctx, x(layout.chosen.start), x(layout.chosen.end), layout.height, ink.chosen);
  if (layout.selection) {
    ctx.globalAlpha = 0.16;
    ctx.fillStyle = ink.join;
    ctx.fillRect(
      x(layout.selection.from),
      RULER_PX,
      Math.max(1.5, x(layout.selection.to) - x(layout.selection.from)),
      layout.height - RULER_PX,
    );
    ctx.globalAlpha = 1;
  }
  return scale;
}

/** The factor that lets the loudest of what is seen of the first lane fill its strip: the same for all lanes. */
function fitted(source: WaveformSource | null, { view, width, channels }: Lanes): number {
  if (!source) return 1;
  let peak = 0;
  for (const channel of channels) {
    const { min, max } = source.columns(channel, view.firstSample, view.samplesPerPx, width);
    for (let k = 0; k < width; k++) peak = Math.max(peak, max[k] || 0, -(min[k] || 0));
  }
  return peak > 0 ? Math.min(200, 0.95 / peak) : 1;
}

function drawRuler(ctx: CanvasRenderingContext2D, { view, width, rateHz, height }: Lanes, ink: Ink) {
  const stepS =
    [0.0005, 0.001, 0.005, 0.01, 0.05, 0.1, 0.5, 1].find((step) => (step * rateHz) / view.samplesPerPx >= 90) ?? 1;
  for (let tick = Math.ceil(view.firstSample / rateHz / stepS); ; tick++) {
    const x = (tick * stepS * rateHz - view.firstSample) / view.samplesPerPx;
    if (x > width) return;
    ctx.fillStyle = ink.rule;
    ctx.fillRect(Math.round(x), 0, 1, height);
    ctx.fillStyle = ink.quiet;
    ctx.fillText(clock(tick * stepS * rateHz, rateHz, stepS < 0.001 ? 4 : 3), x + 3, 1);
  }
}

function drawHand(ctx: CanvasRenderingContext2D, { drawn, view }: Lanes, middle: number, half: number, ink: Ink) {
  if (!drawn) return;
  ctx.strokeStyle = ink.chosen;
  ctx.lineWidth = 2;
  ctx.beginPath();
  drawn.values.forEach((value, k) =>
    ctx.lineTo((drawn.start + k - view.firstSample) / view.samplesPerPx, middle - value * half),
  );
  ctx.stroke();
}

function label(ctx: CanvasRenderingContext2D, text: string, top: number, ink: Ink) {
  ctx.globalAlpha = 0.85;
  ctx.fillStyle = ink.paper;
  ctx.fillRect(4, top + 3, ctx.measureText(text).width + 6, 14);
  ctx.globalAlpha = 1;
  ctx.fillStyle = ink.join;
  ctx.fillText(text, 7, top + 5);
}

function frame(ctx: CanvasRenderingContext2D, from: number, to: number, height: number, colour: string) {
  ctx.strokeStyle = colour;
  ctx.lineWidth = 1.5;
  ctx.strokeRect(from - 2, RULER_PX + 1, Math.max(3, to - from) + 4, height - RULER_PX - 2);
}
