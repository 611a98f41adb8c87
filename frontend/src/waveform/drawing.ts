import { FIGURE_FONT, type Ink } from "./ink";
import type { LoupeLayout } from "./loupeLayout";
import { type PageLayout, placeOf } from "./pageLayout";
import type { Columns, WaveformSource } from "./source";

/** Makes a canvas as large as its box in device pixels, and returns a context in CSS pixels, cleared. */
export function prepare(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D | null {
  const scale = window.devicePixelRatio || 1;
  const [w, h] = [Math.round(width * scale), Math.round(height * scale)];
  // Setting a size clears the canvas and its state, so only when it differs.
  if (canvas.width !== w) canvas.width = w;
  if (canvas.height !== h) canvas.height = h;
  const ctx = canvas.getContext("2d");
  ctx?.setTransform(scale, 0, 0, scale, 0, 0);
  ctx?.clearRect(0, 0, width, height);
  return ctx;
}

export function drawPage(
  ctx: CanvasRenderingContext2D,
  layout: PageLayout,
  source: WaveformSource,
  ink: Ink,
  scale: number,
  chosen: string | null,
  places: Int32Array | null = null,
) {
  const hatch = hatching(ctx, ink);
  for (const wash of layout.washes) {
    ctx.fillStyle = wash.kind === "even" ? ink.washEven : wash.kind === "odd" ? ink.washOdd : hatch;
    ctx.fillRect(wash.x, wash.top + 3, wash.width, layout.lineHeight - 6);
  }
  for (const line of layout.lines) {
    const left = Math.min(layout.width, Math.ceil((source.index.samples - line.firstSample) / layout.samplesPerPx));
    const middle = line.top + layout.lineHeight / 2;
    const columns = mixed(source, line.firstSample, layout.samplesPerPx, left);
    drawWave(ctx, columns, middle, layout.lineHeight / 2 - 4, scale, ink);
  }
  if (places) drawTicks(ctx, layout, places, ink);
  ctx.font = FIGURE_FONT;
  ctx.textBaseline = "top";
  for (const mark of layout.marks) {
    ctx.fillStyle = mark.key === chosen ? ink.chosen : mark.unsure ? ink.unsure : ink.join;
    bracket(
      ctx,
      mark.x,
      mark.top + 2,
      layout.lineHeight - 4,
      mark.side === "start" ? 1 : -1,
      mark.key === chosen ? 3 : 2,
    );
  }
  for (const time of layout.times) chip(ctx, time.text, 2, time.top + layout.lineHeight - 17, ink.quiet, ink.paper);
  for (const label of layout.labels) chip(ctx, label.text, label.x + 4, label.top + 5, ink.join, ink.paper);
}

export function drawLoupe(
  ctx: CanvasRenderingContext2D,
  layout: LoupeLayout,
  source: WaveformSource,
  ink: Ink,
  scale: number,
  chosen: string | null,
) {
  const hatch = hatching(ctx, ink);
  for (const wash of layout.washes) {
    ctx.fillStyle = wash.kind === "even" ? ink.washEven : wash.kind === "odd" ? ink.washOdd : hatch;
    ctx.fillRect(wash.x, layout.waveTop, wash.width, layout.waveHeight);
  }
  ctx.font = FIGURE_FONT;
  ctx.textBaseline = "top";
  for (const tick of layout.ticks) {
    ctx.fillStyle = ink.rule;
    ctx.fillRect(Math.round(tick.x), layout.waveTop, 1, layout.waveHeight);
    ctx.fillStyle = ink.quiet;
    ctx.fillText(tick.text, tick.x + 3, 1);
  }
  const { channels } = source.index;
  const half = layout.waveHeight / channels / 2;
  for (let channel = 0; channel < channels; channel++) {
    const middle = layout.waveTop + half * (2 * channel + 1);
    ctx.fillStyle = ink.rule;
    ctx.fillRect(0, middle, layout.width, 1);
    if (layout.samplesPerPx < 1) drawSamples(ctx, layout, source, channel, middle, (half - 4) * scale, ink);
    else
      drawWave(
        ctx,
        source.columns(channel, layout.firstSample, layout.samplesPerPx, layout.width),
        middle,
        half - 4,
        scale,
        ink,
      );
    ctx.fillStyle = ink.quiet;
    if (channels === 2) ctx.fillText(channel ? "right" : "left", 6, middle - half + 4);
  }
  for (const edge of layout.edges) {
    const isChosen = `${edge.kind} ${edge.key}` === chosen;
    ctx.fillStyle = isChosen ? ink.chosen : edge.unsure ? ink.unsure : ink.join;
    const [top, height] = [layout.waveTop, layout.waveHeight];
    if (edge.kind !== "end") bracket(ctx, edge.x, top, height, 1, isChosen ? 3 : 2);
    if (edge.kind !== "start") bracket(ctx, edge.x, top, height, -1, isChosen ? 3 : 2);
    const isEnd = edge.kind === "end";
    const x = isEnd ? edge.x - ctx.measureText(edge.text).width - 11 : edge.x + 6;
    chip(
      ctx,
      edge.text,
      x,
      isEnd ? top + 5 : top + height - 17,
      isChosen ? ink.chosen : edge.unsure ? ink.unsure : ink.join,
      ink.paper,
    );
  }
}

/** Draws a tick under the line for each repair, shorter and doubtful if it is refused, and their count. */
function drawTicks(ctx: CanvasRenderingContext2D, layout: PageLayout, places: Int32Array, ink: Ink) {
  const counts = new Map<number, number>();
  for (let at = 0; at + 2 < places.length; at += 3) {
    const { x, top } = placeOf(layout, places[at] ?? 0);
    const isMended = places[at + 2] === 1;
    if (isMended) counts.set(top, (counts.get(top) ?? 0) + 1);
    ctx.fillStyle = isMended ? ink.join : ink.unsure;
    ctx.fillRect(x - 0.5, top + layout.lineHeight - (isMended ? 8 : 5), 1.2, isMended ? 7 : 4);
  }
  ctx.font = FIGURE_FONT;
  ctx.textBaseline = "top";
  for (const [top, count] of counts)
    chip(ctx, String(count), layout.width - ctx.measureText(String(count)).width - 6, top + 5, ink.quiet, ink.paper);
}

/** All channels in one outline: the lowest minimum, the highest maximum, the mean power. */
export function mixed(source: WaveformSource, firstSample: number, samplesPerPx: number, width: number): Columns {
  const out = source.columns(0, firstSample, samplesPerPx, width);
  for (let channel = 1; channel < source.index.channels; channel++) {
    const other = source.columns(channel, firstSample, samplesPerPx, width);
    for (let x = 0; x < width; x++) {
      out.min[x] = Math.min(out.min[x] ?? NaN, other.min[x] ?? NaN);
      out.max[x] = Math.max(out.max[x] ?? NaN, other.max[x] ?? NaN);
      out.rms[x] = Math.hypot(out.rms[x] ?? NaN, other.rms[x] ?? NaN) / Math.SQRT2;
    }
  }
  return out;
}

/** Peaks as an outline, RMS as a darker core inside it. A full-scale sample is drawn in the colour of alarm. */
export function drawWave(
  ctx: CanvasRenderingContext2D,
  columns: Columns,
  middle: number,
  half: number,
  scale: number,
  ink: Ink,
) {
  const height = (value: number) => Math.max(-half, Math.min(half, value * scale * half));
  const width = columns.min.length;
  ctx.fillStyle = ink.wave;
  for (let x = 0; x < width; x++) {
    const [min, max] = [columns.min[x] ?? NaN, columns.max[x] ?? NaN];
    if (Number.isNaN(min)) continue;
    const top = middle - height(max);
    ctx.fillRect(x, top, 1, Math.max(1, height(max) - height(min)));
  }
  ctx.fillStyle = ink.core;
  for (let x = 0; x < width; x++) {
    const rms = columns.rms[x] ?? NaN;
    if (rms > 0) ctx.fillRect(x, middle - height(rms), 1, Math.max(1, 2 * height(rms)));
  }
  ctx.fillStyle = ink.chosen;
  for (let x = 0; x < width; x++)
    if ((columns.max[x] ?? 0) >= 0.99996 || (columns.min[x] ?? 0) <= -1) lozenge(ctx, x + 0.5, middle - half - 1);
}

/** Single samples: joined by a line, and each a dot once there is room. */
export function drawSamples(
  ctx: CanvasRenderingContext2D,
  layout: Pick<LoupeLayout, "firstSample" | "samplesPerPx" | "width">,
  source: WaveformSource,
  channel: number,
  middle: number,
  half: number,
  ink: Ink,
) {
  const first = Math.floor(layout.firstSample);
  const samples = source.samples(channel, first, Math.ceil(layout.width * layout.samplesPerPx) + 2);
  ctx.strokeStyle = ink.core;
  ctx.lineWidth = 1.2;
  ctx.beginPath();
  let drawing = false;
  samples.forEach((value, i) => {
    const x = (first + i - layout.firstSample) / layout.samplesPerPx;
    if (Number.isNaN(value)) drawing = false;
    else if (drawing) ctx.lineTo(x, middle - value * half);
    else {
      ctx.moveTo(x, middle - value * half);
      drawing = true;
    }
  });
  ctx.stroke();
  if (layout.samplesPerPx > 0.2) return;
  ctx.fillStyle = ink.core;
  samples.forEach((value, i) => {
    if (!Number.isNaN(value))
      ctx.fillRect((first + i - layout.firstSample) / layout.samplesPerPx - 2, middle - value * half - 2, 4, 4);
  });
}

/** A few characters on a scrap of paper, so that they can be read on any waveform. */
function chip(ctx: CanvasRenderingContext2D, text: string, x: number, y: number, colour: string, paper: string) {
  ctx.globalAlpha = 0.85;
  ctx.fillStyle = paper;
  ctx.fillRect(x, y, ctx.measureText(text).width + 4, 13);
  ctx.globalAlpha = 1;
  ctx.fillStyle = colour;
  ctx.fillText(text, x + 2, y + 1);
}

function bracket(
  ctx: CanvasRenderingContext2D,
  x: number,
  top: number,
  height: number,
  towards: 1 | -1,
  weight: number,
) {
  const at = Math.round(x) - (towards < 0 ? weight : 0);
  const arm = 6;
  const armX = towards > 0 ? at : at + weight - arm;
  ctx.fillRect(at, top, weight, height);
  ctx.fillRect(armX, top, arm, 2);
  ctx.fillRect(armX, top + height - 2, arm, 2);
}

function lozenge(ctx: CanvasRenderingContext2D, x: number, y: number) {
  ctx.beginPath();
  ctx.moveTo(x, y - 4);
  ctx.lineTo(x + 3, y);
  ctx.lineTo(x, y + 4);
  ctx.lineTo(x - 3, y);
  ctx.fill();
}

export function hatching(ctx: CanvasRenderingContext2D, ink: Ink): CanvasPattern | string {
  const tile = document.createElement("canvas");
  tile.width = tile.height = 8;
  const pen = tile.getContext("2d");
  if (!pen) return ink.hatch;
  pen.strokeStyle = ink.hatch;
  pen.lineWidth = 1;
  pen.beginPath();
  pen.moveTo(-2, 10);
  pen.lineTo(10, -2);
  pen.moveTo(-2, 2);
  pen.lineTo(2, -2);
  pen.moveTo(6, 10);
  pen.lineTo(10, 6);
  pen.stroke();
  return ctx.createPattern(tile, "repeat") ?? ink.hatch;
}
