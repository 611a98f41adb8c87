import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import type { LedgerFilter } from "../api/client";
import { ledgerPeopleQuery, ledgerQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { FindField } from "../frame/FindField";
import { useAddress } from "../frame/useAddress";
import { Trouble } from "../words/Trouble";
import { asQuery, byDay, clockOf, howMany, startOf } from "./days";
import { TakeDayBack } from "./TakeDayBack";
import { told, useTakingEntriesBack } from "./useTakingEntriesBack";

/** Everything done, day by day, newest first, with what was before and after. */
export function LedgerPage() {
  const { said, say } = useAddress();
  const [search, who, from, to] = [said("search"), said("who"), said("from"), said("to")];
  const wanted: LedgerFilter = { search, who, since: startOf(from), until: startOf(to, 1) };
  const { data: lines, error } = useQuery(ledgerQuery(wanted));
  const { data: people = [] } = useQuery(ledgerPeopleQuery);
  const back = useTakingEntriesBack();
  const trouble = error ?? back.error;
  const isFiltered = !!(search || who || from || to);
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Ledger</h1>
          <span className="quiet">{lines && howMany(lines)}</span>
          <FindField
            label="Find in the ledger"
            placeholder="What was done, or a shelfmark"
            value={search}
            onChange={(value) => say({ search: value })}
          />
        </>
      }
      margin={
        <>
          <h2 className="margin-heading">Which entries</h2>
          <label className="mb-2 block">
            <span className="quiet">By</span>
            <select className="field w-full" value={who} onChange={(event) => say({ who: event.target.value })}>
              <option value="">everybody</option>
              {people.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </label>
          <label className="mb-2 block">
            <span className="quiet">From</span>
            <input
              type="date"
              className="field w-full"
              value={from}
              onChange={(event) => say({ from: event.target.value })}
            />
          </label>
          <label className="mb-2 block">
            <span className="quiet">To</span>
            <input
              type="date"
              className="field w-full"
              value={to}
              onChange={(event) => say({ to: event.target.value })}
            />
          </label>
          {isFiltered && (
            <button
              type="button"
              className="text-primary"
              onClick={() => say({ search: "", who: "", from: "", to: "" })}
            >
              All entries
            </button>
          )}
          <h2 className="margin-heading">Out</h2>
          <a
            className="press w-full justify-center"
            href={`/api/v1/ledger.csv?${asQuery(wanted)}`}
            download="ledger.csv"
          >
            These entries as CSV
          </a>
          <p className="quiet mt-1 text-[12px]">With all that was before and after.</p>
        </>
      }
    >
      {trouble && <Trouble error={trouble} />}
      {back.data && (
        <p role="status" className="px-5 pt-3">
          {told(back.data)}
        </p>
      )}
      {lines?.length === 0 && (
        <p className="p-8">
          {isFiltered
            ? "Nothing in the ledger is like that."
            : "Nothing has been done yet. Every change will be written down here."}
        </p>
      )}
      {byDay(lines ?? []).map(([day, held]) => (
        <section key={day} aria-label={day}>
          <TakeDayBack day={day} lines={held} back={back} />
          <table className="w-full border-collapse text-[13px]">
            <tbody>
              {held.map((line) => (
                <tr key={line.id} className="rule-b align-top">
                  <td className="quiet figure w-14 whitespace-nowrap py-2 pl-5 pr-4">{clockOf(line.at)}</td>
                  <td className="figure w-24 whitespace-nowrap px-3 py-2">
                    {line.docket_id !== null && (
                      <Link className="text-primary hover:underline" to={`/dockets/${line.docket_id}/intake`}>
                        {line.shelfmark}
                      </Link>
                    )}
                  </td>
                  <td className="w-1/3 px-3 py-2">
                    {line.action}
                    {line.way_back === "open" && (
                      <button
                        type="button"
                        className="block font-medium text-primary"
                        disabled={back.isPending}
                        onClick={() => back.mutate([line.id])}
                      >
                        Take back
                      </button>
                    )}
                  </td>
                  <td className="figure quiet px-3 py-2">
                    <Change before={line.before} after={line.after} />
                  </td>
                  <td className="quiet whitespace-nowrap px-5 py-2 text-right">{line.who}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
    </Desk>
  );
}

type Values = Record<string, unknown> | null | undefined;

function Change({ before, after }: { before: Values; after: Values }) {
  // What only the database goes by is in the CSV.
  const names = [...new Set([...Object.keys(before ?? {}), ...Object.keys(after ?? {})])].filter(
    (name) => !/_id$|^plan_version$|^\d+$/.test(name),
  );
  const shown = names.slice(0, 4);
  return (
    <>
      {shown.map((name) => (
        <div key={name} className="wrap-anywhere">
          {name.replaceAll("_", " ")}: {text(before?.[name])}
          {before && after ? " → " : ""}
          {after ? text(after[name]) : ""}
        </div>
      ))}
      {names.length > shown.length && <div>and {names.length - shown.length} more</div>}
    </>
  );
}

function text(value: unknown): string {
  if (value === undefined) return "";
  if (value === null || value === "") return "nothing";
  const words = typeof value === "string" ? value : JSON.stringify(value);
  return words.length > 60 ? `${words.slice(0, 24)}…` : words;
}
