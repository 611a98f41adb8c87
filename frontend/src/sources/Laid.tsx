import type { ReactNode } from "react";

import type { Pair } from "../api/client";
import { percent, shortClock } from "../words/figures";

interface Props {
  title: string;
  pairs: readonly Pair[];
  speedRatio: number;
  /** With these, pairs can be changed by hand. */
  onMove?: (row: number, by: number) => void;
  onPart?: (row: number) => void;
  note?: ReactNode;
}

const WIDEST_S = 6;

/** A release's tracks laid against those that are here: what fits, what is missing, what is too much, at one look. */
export function Laid({ title, pairs, speedRatio, onMove, onPart, note }: Props) {
  const changes = onMove !== undefined;
  return (
    <section aria-label={title} className="px-5 py-3">
      <h2 className="mb-1 text-base">
        {title}
        {speedRatio !== 1 && (
          <span className="quiet ml-2 font-sans text-[13px] font-normal">
            at {speedRatio.toFixed(3)} times the speed
          </span>
        )}
      </h2>
      {note}
      <table className="w-full border-collapse text-[13px]">
        <thead className="text-left text-[12px]">
          <tr>
            {["Here", "", "Length", "Apart", "Length", "In the release", "Alike", ...(changes ? [""] : [])].map(
              (name, at) => (
                <th key={at} className="quiet px-2 py-0.5 font-medium first:pl-0">
                  {name}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {pairs.map((pair, row) => {
            const alone = pair.track_key === null || pair.place === null;
            return (
              <tr
                key={`${pair.track_key ?? "none"} ${pair.place ?? "none"}`}
                className={`rule-b ${alone ? "text-warning" : ""}`}
                draggable={changes && pair.place !== null}
                onDragStart={(event) => event.dataTransfer.setData("text/plain", String(row))}
                onDragOver={(event) => changes && event.preventDefault()}
                onDrop={(event) => {
                  event.preventDefault();
                  event.stopPropagation();
                  const from = Number(event.dataTransfer.getData("text/plain"));
                  if (Number.isInteger(from) && from !== row) onMove?.(from, row - from);
                }}
              >
                <td className="figure w-8 py-0.5">{pair.number ?? ""}</td>
                <td className="px-2">{pair.track_key === null ? "no track here" : pair.title || "untitled"}</td>
                <td className="figure px-2">{pair.length_s === null ? "" : shortClock(pair.length_s)}</td>
                <td className="w-36 px-2">
                  {pair.difference_s !== null && !alone && <Apart seconds={pair.difference_s} />}
                </td>
                <td className="figure px-2">{pair.listed_s === null ? "" : shortClock(pair.listed_s)}</td>
                <td className="px-2">
                  {pair.place === null ? (
                    "nothing in the release"
                  ) : (
                    <>
                      <span className="figure quiet mr-2">{pair.position}</span>
                      {pair.listed_title}
                    </>
                  )}
                  {pair.bonus && <span className="quiet"> (bonus)</span>}
                </td>
                <td className="figure whitespace-nowrap px-2">{alone ? "" : percent(Math.min(0.99, pair.likeness))}</td>
                {changes && (
                  <td className="w-32 whitespace-nowrap text-right">
                    {pair.place !== null && (
                      <>
                        <button
                          type="button"
                          className="press !px-1.5 !py-0"
                          aria-label={`Move ${pair.listed_title} up`}
                          disabled={row === 0}
                          onClick={() => onMove(row, -1)}
                        >
                          ↑
                        </button>{" "}
                        <button
                          type="button"
                          className="press !px-1.5 !py-0"
                          aria-label={`Move ${pair.listed_title} down`}
                          disabled={row === pairs.length - 1}
                          onClick={() => onMove(row, 1)}
                        >
                          ↓
                        </button>{" "}
                        <button
                          type="button"
                          className="press !px-1.5 !py-0"
                          aria-label={`Part ${pair.listed_title}`}
                          disabled={alone}
                          onClick={() => onPart?.(row)}
                        >
                          part
                        </button>
                      </>
                    )}
                  </td>
                )}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

/** A difference as a bar from the middle: right is longer here. */
function Apart({ seconds }: { seconds: number }) {
  const share = Math.min(1, Math.abs(seconds) / WIDEST_S);
  const far = Math.abs(seconds) > 3;
  return (
    <span className="flex items-center gap-2 whitespace-nowrap">
      <svg width="64" height="10" aria-hidden>
        <line x1="32" y1="0" x2="32" y2="10" stroke="var(--ink-rule)" />
        <rect
          x={seconds < 0 ? 32 - 32 * share : 32}
          y="3"
          width={Math.max(1, 32 * share)}
          height="4"
          fill={far ? "var(--ink-chosen)" : "var(--ink-wave)"}
        />
      </svg>
      <span
        className={`figure ${far ? "text-error" : ""}`}
      >{`${seconds < 0 ? "−" : "+"}${Math.abs(seconds).toFixed(1)} s`}</span>
    </span>
  );
}
