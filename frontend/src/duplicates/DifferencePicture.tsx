import type { Difference } from "../api/client";
import { shortClock } from "../words/figures";
import { layOut } from "./differenceLayout";

const WIDTH = 560;
const BAR = 12;
const BETWEEN = 26;

/** Two edits laid on each other. */
export function DifferencePicture({ difference, swapped }: { difference: Difference; swapped: boolean }) {
  const drawn = layOut(difference);
  const x = (part: number) => part * WIDTH;
  const low = BAR + BETWEEN;
  const alone = [
    ...difference.only_first.map(
      (one) => `the first alone from ${shortClock(one.start_s)} to ${shortClock(one.end_s)}`,
    ),
    ...difference.only_second.map(
      (one) => `the second alone from ${shortClock(one.start_s)} to ${shortClock(one.end_s)}`,
    ),
  ];
  const words = `${alone.join("; ") || "nothing is in one alone"}${swapped ? "; channels swapped" : ""}`;
  return (
    <figure className="max-w-xl">
      <svg viewBox={`0 0 ${WIDTH} ${low + BAR}`} className="w-full" role="img" aria-label={words}>
        <defs>
          <pattern id="alone" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="5" height="5" className="fill-base-100" />
            <rect width="2.2" height="5" className="fill-error" />
          </pattern>
        </defs>
        <rect x={0} y={0} width={x(drawn.above)} height={BAR} className="fill-base-300" />
        <rect x={0} y={low} width={x(drawn.below)} height={BAR} className="fill-base-300" />
        {drawn.ribbons.map((one) => (
          <g key={one.above[0]}>
            <polygon
              points={[
                `${x(one.above[0])},${BAR} ${x(one.above[1])},${BAR}`,
                `${x(one.below[1])},${low} ${x(one.below[0])},${low}`,
              ].join(" ")}
              className="fill-accent"
              opacity={0.18}
            />
            <rect
              x={x(one.above[0])}
              y={0}
              width={x(one.above[1] - one.above[0])}
              height={BAR}
              className="fill-accent"
            />
            <rect
              x={x(one.below[0])}
              y={low}
              width={x(one.below[1] - one.below[0])}
              height={BAR}
              className="fill-accent"
            />
          </g>
        ))}
        {drawn.aloneAbove.map(([from, to]) => (
          <rect
            key={from}
            x={x(from)}
            y={0}
            width={x(to - from)}
            height={BAR}
            fill="url(#alone)"
            stroke="currentColor"
            strokeWidth={0.6}
          />
        ))}
        {drawn.aloneBelow.map(([from, to]) => (
          <rect
            key={from}
            x={x(from)}
            y={low}
            width={x(to - from)}
            height={BAR}
            fill="url(#alone)"
            stroke="currentColor"
            strokeWidth={0.6}
          />
        ))}
      </svg>
      <figcaption className="quiet text-[12px]">{words}</figcaption>
    </figure>
  );
}
