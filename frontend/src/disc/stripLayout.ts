/** The strip of a disc as a list of strokes: what goes where, and what it is. No canvas here. */

export interface Stroke {
  x: number;
  /** An index into the strip's states. */
  state: number;
}

export interface Label {
  x: number;
  text: string;
}

export interface StripLayout {
  strokes: Stroke[];
  /** Where a track begins, hidden opening included. */
  bounds: Label[];
  gap: number;
}

export const STROKE_PX = 3;

/** How many marks a strip of this width has room for. */
export const marksFor = (widthPx: number): number => Math.max(1, Math.floor(widthPx / STROKE_PX));

export function layoutStrip(
  marks: readonly number[],
  frames: number,
  starts: readonly { number: number; frame: number }[],
  widthPx: number,
): StripLayout {
  const step = marks.length ? widthPx / marks.length : widthPx;
  const strokes = marks.map((state, index) => ({ x: index * step, state }));
  let free = -Infinity;
  const bounds = starts.map(({ number, frame }) => {
    const x = frames ? (frame / frames) * widthPx : 0;
    const text = String(number).padStart(2, "0");
    const fits = x >= free;
    if (fits) free = x + 18;
    return { x, text: fits ? text : "" };
  });
  return { strokes, bounds, gap: step };
}

/** mm:ss:ff of a count of frames. */
export function frameClock(frames: number): string {
  const two = (value: number) => String(value).padStart(2, "0");
  return `${two(Math.floor(frames / 4500))}:${two(Math.floor(frames / 75) % 60)}:${two(frames % 75)}`;
}
