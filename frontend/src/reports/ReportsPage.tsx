import { clsx } from "clsx";
import { useQuery } from "@tanstack/react-query";

import type { Report } from "../api/client";
import { reportsQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { Trouble } from "../words/Trouble";

const INKS = ["bg-base-content", "bg-primary", "bg-warning"];
const FILLS = ["fill-base-content", "fill-accent", "fill-warning"];
const figure = (value: number) => value.toLocaleString("en-GB", { maximumFractionDigits: 2 });

/** What the collection comes to, in figures. */
export function ReportsPage() {
  const { data: reports, error } = useQuery(reportsQuery);
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Reports</h1>
          <span className="quiet">as of now; each as a plot, and as CSV</span>
        </>
      }
    >
      {error && (
        <div className="px-5 pt-3">
          <Trouble error={error} />
        </div>
      )}
      <div className="grid grid-cols-2 gap-x-10 gap-y-7 p-5">
        {reports?.map((one) => (
          <OneReport key={one.name} report={one} />
        ))}
      </div>
    </Desk>
  );
}

function OneReport({ report }: { report: Report }) {
  return (
    <section className={report.over_time ? "col-span-2" : ""} aria-label={report.title}>
      <header className="rule-b mb-2 flex items-baseline gap-3 pb-1">
        <h2 className="text-base">{report.title}</h2>
        <span className="quiet">{report.note}</span>
        <a
          className="ml-auto text-[13px] text-primary"
          href={`/api/v1/reports/${report.name}.csv`}
          download={`${report.name}.csv`}
          aria-label={`${report.title} as CSV`}
        >
          CSV
        </a>
      </header>
      {report.rows.length === 0 ? (
        <p className="quiet">Nothing to count yet.</p>
      ) : report.over_time ? (
        <Months report={report} />
      ) : (
        <Bars report={report} />
      )}
      {report.series.length > 1 && (
        <p className="mt-1 flex gap-4 text-[12px]">
          {report.series.map((one, at) => (
            <span key={one} className="flex items-center gap-1.5">
              <span
                aria-hidden
                className={clsx(
                  "inline-block h-2.5 w-2.5",
                  report.over_time ? (at === 0 ? "bg-base-content" : "bg-accent") : INKS[at],
                )}
              />
              {one}
            </span>
          ))}
        </p>
      )}
    </section>
  );
}

function Bars({ report }: { report: Report }) {
  const most = Math.max(...report.rows.map((row) => row.values.reduce((sum, value) => sum + value, 0)));
  return (
    <ul>
      {report.rows.map((row) => (
        <li key={row.label} className="grid grid-cols-[190px_1fr_48px] items-center gap-3 py-0.5 text-[13px]">
          <span className="truncate" title={row.label}>
            {row.label}
          </span>
          <span aria-hidden className="flex h-2.5">
            {row.values.map((value, at) => (
              <span
                key={report.series[at]}
                className={INKS[at % INKS.length]}
                style={{ width: `${(100 * value) / most}%` }}
              />
            ))}
          </span>
          <span
            className="figure text-right"
            title={row.values.map((value, at) => `${figure(value)} ${report.series[at] ?? ""}`).join(", ")}
          >
            {figure(row.values.reduce((sum, value) => sum + value, 0))}
          </span>
        </li>
      ))}
    </ul>
  );
}

const WIDTH = 960;
const HEIGHT = 120;

/** Months as columns, one after the other, each series beside the other. */
function Months({ report }: { report: Report }) {
  const most = Math.max(0.01, ...report.rows.flatMap((row) => row.values));
  const step = WIDTH / Math.max(12, report.rows.length);
  const bar = (step * 0.7) / report.series.length;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT + 18}`}
      className="w-full"
      role="img"
      aria-label={report.rows
        .map(
          (row) =>
            `${row.label}: ` +
            row.values.map((value, at) => `${figure(value)} ${report.unit} ${report.series[at] ?? ""}`).join(", "),
        )
        .join("; ")}
    >
      <line x1={0} y1={HEIGHT} x2={WIDTH} y2={HEIGHT} stroke="currentColor" strokeWidth={0.6} />
      {report.rows.map((row, at) => (
        <g key={row.label}>
          {row.values.map((value, series) => {
            const height = (value / most) * (HEIGHT - 16);
            const x = at * step + series * bar;
            return (
              <g key={report.series[series]}>
                <rect
                  x={x}
                  y={HEIGHT - height}
                  width={bar - 2}
                  height={height}
                  className={FILLS[series % FILLS.length]}
                />
                {value > 0 && (
                  <text
                    x={x + bar / 2}
                    y={HEIGHT - height - 4}
                    textAnchor="middle"
                    fontSize={10}
                    className="figure fill-base-content"
                  >
                    {figure(value)}
                  </text>
                )}
              </g>
            );
          })}
          {(report.rows.length <= 24 || row.label.endsWith("-01")) && (
            <text
              x={at * step + (bar * report.series.length) / 2}
              y={HEIGHT + 13}
              textAnchor="middle"
              fontSize={10}
              className="fill-base-content"
            >
              {row.label}
            </text>
          )}
        </g>
      ))}
    </svg>
  );
}
