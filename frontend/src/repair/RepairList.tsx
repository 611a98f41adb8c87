import { clsx } from "clsx";
import { useEffect, useRef } from "react";

import type { Listed, RepairsWanted } from "../api/client";
import { clock, likely } from "../words/figures";

export interface Filter {
  kind: string;
  show: "decided" | "refused" | "left" | "all";
  order: NonNullable<RepairsWanted["order"]>;
}

interface Props {
  repairs: readonly Listed[];
  total: number;
  rateHz: number;
  kinds: readonly string[];
  filter: Filter;
  region: string | null;
  chosen: string | null;
  picked: ReadonlySet<string>;
  onFilter: (filter: Filter) => void;
  onForgetRegion: () => void;
  onChoose: (repair: Listed, add: boolean, range: boolean) => void;
  onMore: () => void;
  /** Whether another list was asked for and this one is still the old. */
  isComing: boolean;
}

export const nameOf = (repair: Listed): string => `${repair.start} ${repair.channel} ${repair.kind}`;
export const stateOf = (repair: Listed): "mended" | "accepted" | "refused" | "left" =>
  repair.mended ? (repair.said ? "accepted" : "mended") : repair.said ? "refused" : "left";
const CHANNEL: Record<string, string> = { "0": "left", "1": "right", both: "both" };
const ORDERS: readonly [Filter["order"], string][] = [
  ["place", "by place"],
  ["least likely", "least likely first"],
  ["likelihood", "likeliest first"],
  ["size", "largest first"],
  ["length", "longest first"],
];

/** Every repair of the side, as it is asked to be shown: by place or by doubt, one kind, one stretch, one state. */
export function RepairList(props: Props) {
  const { repairs, filter, rateHz, onFilter } = props;
  const body = useRef<HTMLDivElement>(null);
  useEffect(() => {
    body.current?.querySelector('[aria-current="true"]')?.scrollIntoView({ block: "nearest" });
  }, [props.chosen]);
  const select = "border border-base-300 bg-base-100 px-1.5 py-0.5";
  return (
    <section aria-label="Repairs" className="flex min-h-0 flex-1 flex-col text-[12.5px]">
      <div className="flex h-8 items-center gap-2 px-3">
        <select
          aria-label="Kind"
          className={select}
          value={filter.kind}
          onChange={(event) => onFilter({ ...filter, kind: event.target.value })}
        >
          <option value="">every kind</option>
          {props.kinds.map((kind) => (
            <option key={kind}>{kind}</option>
          ))}
        </select>
        <select
          aria-label="Shown"
          className={select}
          value={filter.show}
          onChange={(event) => onFilter({ ...filter, show: event.target.value as Filter["show"] })}
        >
          <option value="decided">mended and refused</option>
          <option value="refused">refused</option>
          <option value="left">left, may be damage</option>
          <option value="all">all of these</option>
        </select>
        <select
          aria-label="Order"
          className={select}
          value={filter.order}
          onChange={(event) => onFilter({ ...filter, order: event.target.value as Filter["order"] })}
        >
          {ORDERS.map(([name, label]) => (
            <option key={name} value={name}>
              {label}
            </option>
          ))}
        </select>
        {props.region && (
          <button
            type="button"
            className="press !px-1.5 !py-0"
            onClick={props.onForgetRegion}
            title="Show the whole side again"
          >
            in <span className="figure">{props.region}</span> ×
          </button>
        )}
        <span className="figure quiet ml-auto" data-testid="repairs-total">
          {props.total.toLocaleString("en-GB")}
        </span>
      </div>
      <div
        ref={body}
        className="min-h-0 flex-1 overflow-auto border-t border-base-300"
        onScroll={(event) => isAtEnd(event.currentTarget) && repairs.length < props.total && props.onMore()}
      >
        <table
          aria-label="Repairs"
          aria-busy={props.isComing}
          className={`w-full ${props.isComing ? "opacity-60" : ""}`}
        >
          <thead className="sticky top-0 bg-base-200 text-left text-[11.5px]">
            <tr>
              {["Place", "Kind", "Channel", "Length", "Over the music", "Likely damage", ""].map((name) => (
                <th key={name} className="px-2 py-0.5 font-medium">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {repairs.map((repair) => {
              const name = nameOf(repair);
              const state = stateOf(repair);
              return (
                <tr
                  key={name}
                  aria-current={props.chosen === name}
                  data-start={repair.start}
                  className={clsx(
                    "cursor-pointer",
                    props.chosen === name
                      ? "bg-base-200 shadow-[inset_3px_0_0_var(--color-error)]"
                      : props.picked.has(name)
                        ? "bg-primary/15"
                        : "hover:bg-base-200",
                  )}
                  onClick={(event) => props.onChoose(repair, event.ctrlKey || event.metaKey, event.shiftKey)}
                >
                  <td className="figure px-2 py-[2px]">{clock(repair.start, rateHz)}</td>
                  <td className="px-2">
                    {repair.kind}
                    {repair.family != null && <span className="quiet"> {repair.family + 1}</span>}
                  </td>
                  <td className="px-2">{CHANNEL[String(repair.channel)]}</td>
                  <td className="figure px-2">{((1000 * repair.length) / rateHz).toFixed(2)} ms</td>
                  <td className="figure px-2">
                    {repair.over_db == null ? "" : `${repair.over_db.toFixed(1).replace("-", "−")} dB`}
                  </td>
                  <td className="figure px-2">{repair.likelihood == null ? "" : likely(repair.likelihood)}</td>
                  <td
                    className={clsx(
                      "px-2",
                      state === "refused" ? "text-warning" : state === "accepted" ? "text-success" : "quiet",
                    )}
                  >
                    {state}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {repairs.length === 0 && <p className="quiet p-3">Nothing of this kind here.</p>}
      </div>
    </section>
  );
}

const isAtEnd = (element: HTMLElement): boolean => element.scrollTop + element.clientHeight > element.scrollHeight - 80;
