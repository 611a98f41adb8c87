import { useQuery } from "@tanstack/react-query";

import type { AccessKind } from "../api/client";
import { accessLogQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { FindField } from "../frame/FindField";
import { useAddress } from "../frame/useAddress";
import { Trouble } from "../words/Trouble";
import { byDay, clockOf, howMany } from "../ledger/days";

const KINDS: readonly AccessKind[] = ["signed in", "signed out", "refused", "account", "token", "export"];

/** Who came in, who was refused, what became of accounts and tokens, and which data went out. */
export function AccessLogPage() {
  const { said, say } = useAddress();
  const search = said("search");
  const kind = KINDS.find((one) => one === said("kind"));
  const { data: lines, error } = useQuery(accessLogQuery({ search, kind }));
  const query = new URLSearchParams({ ...(search && { search }), ...(kind && { kind }) }).toString();
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Access log</h1>
          <span className="quiet">{lines && howMany(lines)}</span>
          <FindField
            label="Find in the access log"
            placeholder="A name, an address, what happened"
            value={search}
            onChange={(value) => say({ search: value })}
          />
        </>
      }
      margin={
        <>
          <h2 className="margin-heading">Which entries</h2>
          <label className="mb-2 block">
            <span className="quiet">Kind</span>
            <select className="field w-full" value={kind ?? ""} onChange={(event) => say({ kind: event.target.value })}>
              <option value="">every kind</option>
              {KINDS.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </label>
          <h2 className="margin-heading">Export</h2>
          <a className="press w-full justify-center" href={`/api/v1/access-log.csv?${query}`} download="access-log.csv">
            These entries as CSV
          </a>
          <p className="quiet mt-1 text-[12px]">Entries are kept for three years. Nobody can change them.</p>
        </>
      }
    >
      {error && <Trouble error={error} />}
      {lines?.length === 0 && <p className="p-8">{search || kind ? "No entry is like that." : "No entries yet."}</p>}
      {byDay(lines ?? []).map(([day, held]) => (
        <section key={day} aria-label={day}>
          <h2 className="px-5 pb-1 pt-4 font-serif text-[16px]">{day}</h2>
          <table className="w-full border-collapse text-[13px]">
            <tbody>
              {held.map((line) => (
                <tr key={line.id} className="rule-b align-top">
                  <td className="quiet figure w-14 whitespace-nowrap py-2 pl-5 pr-4">{clockOf(line.at)}</td>
                  <td className="w-28 whitespace-nowrap px-3 py-2">{line.kind}</td>
                  <td className="w-1/4 px-3 py-2">{line.who}</td>
                  <td className="px-3 py-2 [overflow-wrap:anywhere]">{line.what}</td>
                  <td className="quiet figure whitespace-nowrap px-5 py-2 text-right">{line.address}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
    </Desk>
  );
}
