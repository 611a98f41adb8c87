import type { ReactNode } from "react";

import type { Docket, PlanView, Side } from "../api/client";
import { Desk } from "../frame/Desk";
import { clock, shortClock } from "../words/figures";
import { comparison, type Row } from "./catalogue";
import { firstNumber as firstNumberOf } from "./useDocket";

interface Props {
  docket: Docket;
  side: Side;
  plan: PlanView;
  rateHz: number;
  title: ReactNode;
}

/** What was found beside what the catalogue says: durations, their difference after speed, and both as a picture. */
export function CatalogueView({ docket, side, plan, rateHz, title }: Props) {
  const { found } = plan.plan;
  const rows = comparison(plan.plan, rateHz);
  const firstNumber = firstNumberOf(docket, side);
  const titleOf = (key: string | null) => side.tracks.find((line) => line.key === key)?.title ?? "";
  return (
    <Desk title={title} margin={<SpeedMargin plan={plan} />}>
      {found.catalogue_s.length === 0 ? (
        <p className="max-w-[60ch] p-8">
          No durations are known for this side. Give them on its page, under “Find the tracks”, one line each; then what
          was found is held against them here.
        </p>
      ) : (
        <div className="h-full overflow-auto p-5">
          <Picture rows={rows} first={firstNumber} told={!!found.speed_ratio} />
          <table className="mt-5 w-full max-w-[46rem] text-[13.5px]">
            <thead>
              <tr className="quiet text-left">
                <th className="font-normal">found</th>
                <th className="font-normal">title</th>
                <th className="text-right font-normal">lasts</th>
                <th className="text-right font-normal">{found.speed_ratio ? "at its true speed" : "speed unknown"}</th>
                <th className="text-right font-normal">catalogue</th>
                <th className="text-right font-normal">difference</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((row) => (
                <tr key={`${row.index} ${row.listed}`} className="rule-b">
                  <td className="figure py-1">{row.index === null ? "–" : firstNumber + row.index}</td>
                  <td className="max-w-56 truncate py-1">
                    {row.index === null ? <span className="text-error">not found</span> : titleOf(row.key)}
                  </td>
                  <td className="figure py-1 text-right">{row.lengthS === null ? "" : clock(row.lengthS, 1, 1)}</td>
                  <td className="figure py-1 text-right">{row.trueS === null ? "" : clock(row.trueS, 1, 1)}</td>
                  <td className="figure py-1 text-right">{row.statedS === null ? "none" : shortClock(row.statedS)}</td>
                  <td className={`figure py-1 text-right ${row.doubted ? "text-error" : ""}`}>
                    {row.offS === null ? "" : `${row.offS < 0 ? "−" : "+"}${Math.abs(row.offS).toFixed(1)} s`}
                    {row.doubted && row.index !== null ? " not believed" : ""}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Desk>
  );
}

/** Two strips on one scale, each track joined to what the catalogue says of it: a swap crosses, a missing one hangs. */
function Picture({ rows, first, told }: { rows: readonly Row[]; first: number; told: boolean }) {
  const found = placed(
    rows.filter((row) => row.index !== null).sort((a, b) => (a.index ?? 0) - (b.index ?? 0)),
    (row) => row.trueS ?? 0,
  );
  const stated = placed(
    rows.filter((row) => row.listed !== null).sort((a, b) => (a.listed ?? 0) - (b.listed ?? 0)),
    (row) => row.statedS ?? row.trueS ?? 60,
  );
  const total = Math.max(1, ...[...found, ...stated].map(({ to }) => to));
  const x = (seconds: number) => (seconds / total) * 1000;
  return (
    <svg
      viewBox="0 0 1000 150"
      className="w-full"
      role="img"
      aria-label="Found tracks above, the catalogue's durations below"
    >
      {found.map(({ row, from, to }) => {
        const other = stated.find((one) => one.row === row);
        if (!other) return null;
        return (
          <path
            key={`line ${row.index}`}
            d={curve(x((from + to) / 2), x((other.from + other.to) / 2))}
            fill="none"
            className={row.doubted ? "stroke-error" : "stroke-primary"}
            strokeWidth={row.doubted ? 2.5 : 1.5}
            strokeDasharray={row.doubted ? "6 4" : undefined}
          />
        );
      })}
      {[
        ...found.map((one) => ({ ...one, y: 18, label: `${(one.row.index ?? 0) + first}` })),
        ...stated.map((one) => ({ ...one, y: 96, label: `${(one.row.listed ?? 0) + 1}` })),
      ].map(({ row, from, to, y, label }) => (
        <g key={`${y} ${label}`}>
          <rect
            x={x(from) + 1}
            y={y}
            width={Math.max(2, x(to - from) - 2)}
            height={36}
            className={
              row.doubted || row.index === null || row.listed === null
                ? "fill-base-300 stroke-error"
                : "fill-base-300 stroke-primary"
            }
            strokeWidth={1.5}
          />
          <text x={x(from) + 8} y={y + 23} className="figure fill-base-content" fontSize={18}>
            {label}
          </text>
        </g>
      ))}
      <text x={0} y={13} className="fill-base-content" fontSize={16}>
        {told ? "found, at its true speed" : "found, as it ran"}
      </text>
      <text x={0} y={147} className="fill-base-content" fontSize={16}>
        catalogue
      </text>
    </svg>
  );
}

function placed(rows: readonly Row[], length: (row: Row) => number): { row: Row; from: number; to: number }[] {
  let at = 0;
  return rows.map((row) => {
    const from = at;
    at += length(row);
    return { row, from, to: at };
  });
}

/** How far off its nominal speed a side ran, in words. */
function offSpeed(ratio: number): string {
  const [pace, length, pitch] = ratio > 1 ? ["fast", "shorter", "high"] : ["slow", "longer", "low"];
  const percent = Math.abs((ratio - 1) * 100).toFixed(2);
  const cents = Math.abs(1200 * Math.log2(ratio)).toFixed(0);
  const heard = `tracks last ${length} than they should, and sound ${cents} cents too ${pitch}`;
  return `It ran ${percent} % too ${pace}: ${heard}.`;
}

/** The path of a line from a found track down to its listed duration. */
const curve = (above: number, below: number): string => `M${above} 54 C${above} 75 ${below} 75 ${below} 96`;

function SpeedMargin({ plan }: { plan: PlanView }) {
  const { speed_ratio: ratio, speed_from: from, counts_gap: countsGap } = plan.plan.found;
  const off = ratio ? (ratio - 1) * 100 : 0;
  return (
    <>
      <h2 className="margin-heading">Speed of this side</h2>
      {ratio === null || ratio === undefined ? (
        <p>Nothing tells it surely: no locked groove was heard, and durations are too few or too rough.</p>
      ) : (
        <>
          <p className="figure text-[17px]">{ratio.toFixed(4)}</p>
          <p>{Math.abs(off) < 0.05 ? "It ran at its nominal speed." : offSpeed(ratio)}</p>
          <p className="quiet mt-1">
            {from === "turns"
              ? "Told by the ticks of its locked groove, one each turn."
              : "Told by the catalogue’s durations together."}
          </p>
          {Math.abs(off) >= 0.05 && (
            <p className="quiet mt-1">The take stays as it was recorded; correcting speed is part of repair.</p>
          )}
        </>
      )}
      {countsGap && (
        <p className="mt-2">The catalogue seems to count the gap after each track: its times are taken that way.</p>
      )}
    </>
  );
}
