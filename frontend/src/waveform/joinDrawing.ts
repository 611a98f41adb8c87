import type { Columns, WaveformSource } from "./source";
import { hatching, mixed } from "./drawing";
import { FIGURE_FONT, type Ink } from "./ink";
import type { Join, Part } from "./joins";

export const REACH_S = 3;
const BEYOND_S = 0.6;
const GUTTER_PX = 6;
const FLOOR_OF_PICTURE_DB = -76;

export interface JoinPicture {
  width: number;
  height: number;
  rateHz: number;
  floorDbfs: number | null;
  part: Part;
  isChosen: boolean;
}

/** The last seconds of one track and the first of the next, beside each other, levels in dB so that a fade is seen. */
export function drawJoin(
  ctx: CanvasRenderingContext2D,
  join: Join,
  source: WaveformSource,
  ink: Ink,
  picture: JoinPicture,
) {
  const { width, height } = picture;
  ctx.clearRect(0, 0, width, height);
  ctx.font = FIGURE_FONT;
  ctx.textBaseline = "top";
  const half = (width - GUTTER_PX) / 2;
  drawHalf(ctx, source, ink, picture, 0, half, join.before?.end_sample ?? null, "end");
  drawHalf(ctx, source, ink, picture, half + GUTTER_PX, half, join.after?.start_sample ?? null, "start");
}

function drawHalf(
  ctx: CanvasRenderingContext2D,
  source: WaveformSource,
  ink: Ink,
  picture: JoinPicture,
  left: number,
  width: number,
  edge: number | null,
  kind: "start" | "end",
) {
  const { height, rateHz, floorDbfs } = picture;
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, 0, width, height);
  ctx.clip();
  ctx.translate(left, 0);
  const hatch = hatching(ctx, ink);
  if (edge === null) {
    ctx.fillStyle = hatch;
    ctx.fillRect(0, 0, width, height);
    ctx.restore();
    return;
  }
  const perPx = ((REACH_S + BEYOND_S) * rateHz) / width;
  const first = edge - (kind === "end" ? REACH_S : BEYOND_S) * rateHz;
  const at = Math.round((edge - first) / perPx);
  ctx.fillStyle = kind === "end" ? ink.washEven : ink.washOdd;
  ctx.fillRect(kind === "end" ? 0 : at, 0, kind === "end" ? at : width - at, height);
  drawLevels(ctx, mixed(source, first, perPx, Math.ceil(width)), height, ink);
  ctx.fillStyle = hatch;
  ctx.fillRect(kind === "end" ? at : 0, 0, kind === "end" ? width - at : at, height);
  if (floorDbfs !== null) {
    const reach = heightOf(10 ** (floorDbfs / 20), height / 2);
    ctx.fillStyle = ink.unsure;
    for (let x = 0; x < width; x += 6)
      for (const y of [height / 2 - reach, height / 2 + reach]) ctx.fillRect(x, y, 3, 1);
  }
  const chosen = picture.isChosen && (picture.part === "both" || picture.part === kind);
  ctx.fillStyle = chosen ? ink.chosen : ink.join;
  const [thick, arm] = [chosen ? 3 : 2, 6];
  const x = kind === "end" ? at - thick : at;
  ctx.fillRect(x, 0, thick, height);
  for (const y of [0, height - 2]) ctx.fillRect(kind === "end" ? x + thick - arm : x, y, arm, 2);
  ctx.restore();
}

const heightOf = (amplitude: number, half: number): number =>
  amplitude > 0
    ? Math.max(0, (20 * Math.log10(amplitude) - FLOOR_OF_PICTURE_DB) / -FLOOR_OF_PICTURE_DB) * (half - 2)
    : 0;

function drawLevels(ctx: CanvasRenderingContext2D, columns: Columns, height: number, ink: Ink) {
  const middle = height / 2;
  for (const [colour, value] of [
    [ink.wave, (x: number) => Math.max(columns.max[x] ?? NaN, -(columns.min[x] ?? NaN))],
    [ink.core, (x: number) => columns.rms[x] ?? NaN],
  ] as const) {
    ctx.fillStyle = colour;
    for (let x = 0; x < columns.min.length; x++) {
      const reach = heightOf(value(x), middle);
      if (reach > 0) ctx.fillRect(x, middle - reach, 1, 2 * reach);
    }
  }
}
