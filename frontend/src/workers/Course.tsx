import type { OperationsMoment } from "../api/client";

const WIDTH = 300;
const HEIGHT = 72;

interface Props {
  title: string;
  moments: OperationsMoment[];
  /** How many minutes the width stands for; now is at the right. */
  minutes: number;
  of: (one: OperationsMoment) => number | null;
  written: (value: number) => string;
  least: number;
  /** Which end is told: the highest, or of what should not run out the lowest. */
  worst?: "most" | "least";
}

/** How many minutes are drawn: as many as are known, ten at least and those that were asked for at most. */
export function spanMin(moments: OperationsMoment[], hours: number): number {
  const [first, last] = [moments.at(0), moments.at(-1)];
  const known = first && last ? (Date.parse(last.at) - Date.parse(first.at)) / 60_000 : 0;
  return Math.min(60 * hours, Math.max(10, known));
}

/** One figure over time: a line, what it is now, and the highest. Where nothing is known the line is broken. */
export function Course({ title, moments, minutes, of, written, least, worst = "most" }: Props) {
  const known = moments.map(of).filter((value) => value !== null);
  const last = moments.at(-1);
  const now = last ? of(last) : null;
  const highest = known.length > 0 ? Math.max(...known) : 0;
  const lowest = known.length > 0 ? Math.min(...known) : 0;
  const end = `at ${worst} ${written(worst === "most" ? highest : lowest)}`;
  const told = now === null ? "not known" : written(now);
  return (
    <figure aria-label={title}>
      <figcaption className="mb-1 flex items-baseline justify-between gap-3 text-[13px]">
        <span>{title}</span>
        <span className="figure">{told}</span>
      </figcaption>
      <svg
        role="img"
        aria-label={`${title}: now ${told}, ${end}`}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        className="block h-18 w-full border-b border-l border-base-content/40"
      >
        {lines(moments, minutes, of, Math.max(least, highest)).map((points) => (
          <polyline
            key={points}
            points={points}
            fill="none"
            vectorEffect="non-scaling-stroke"
            className="stroke-primary"
            strokeWidth={1.5}
          />
        ))}
      </svg>
      <p className="quiet mt-1 flex justify-between text-[12px]">
        <span>{minutes < 90 ? `${Math.round(minutes)} min` : `${Math.round(minutes / 60)} h`} ago</span>
        <span>{end}</span>
        <span>now</span>
      </p>
    </figure>
  );
}

/** The points of each stretch of which something is known, for SVG. */
export function lines(
  moments: OperationsMoment[],
  minutes: number,
  of: (one: OperationsMoment) => number | null,
  top: number,
): string[] {
  const end = Date.parse(moments.at(-1)?.at ?? "");
  const stretches: [number, number][][] = [];
  let stretch: [number, number][] = [];
  for (const one of moments) {
    const value = of(one);
    if (value === null) {
      stretch = [];
      continue;
    }
    if (stretch.length === 0) stretches.push(stretch);
    const x = WIDTH * (1 - (end - Date.parse(one.at)) / (minutes * 60_000));
    stretch.push([x, HEIGHT - 2 - (HEIGHT - 6) * (value / top)]);
  }
  // A point has no length: a single moment is a short stroke.
  return stretches
    .map((points) =>
      points.flatMap(([x, y]) =>
        points.length > 1
          ? [[x, y]]
          : [
              [x - 2, y],
              [x, y],
            ],
      ),
    )
    .map((points) => points.map((point) => point.map((part) => (part ?? 0).toFixed(1)).join(",")).join(" "));
}
