import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";

import { fileStepsQuery, ledgerQuery } from "../api/queries";
import { useTakingBack } from "../files/useTakingBack";
import { Desk } from "../frame/Desk";
import { FindField } from "../frame/FindField";
import { moment, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

/** Everything done, newest first, with what was before and after. */
export function LedgerPage() {
  const [params, setParams] = useSearchParams();
  const search = params.get("search") ?? "";
  const { data: lines, error } = useQuery(ledgerQuery(undefined, search));
  const { data: steps } = useQuery(fileStepsQuery);
  const back = useTakingBack();
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Ledger</h1>
          <span className="quiet">{lines && plural(lines.length, "entry").replace("entrys", "entries")}</span>
          <FindField
            label="Find in the ledger"
            placeholder="What was done, or a shelfmark"
            value={search}
            onChange={(value) => setParams(value ? { search: value } : {}, { replace: true, flushSync: true })}
          />
        </>
      }
    >
      {(error ?? back.error) && <Trouble error={error ?? back.error} />}
      {lines?.length === 0 && <p className="p-8">{search ? `Nothing in the ledger has “${search}” in it.` : "Nothing has been done yet. Every change will be written down here."}</p>}
      <table className="w-full border-collapse text-[13px]">
        <tbody>
          {lines?.map((line) => (
            <tr key={line.id} className="rule-b align-top">
              <td className="quiet whitespace-nowrap py-2 pl-5 pr-4">{moment(line.at)}</td>
              <td className="figure whitespace-nowrap px-3 py-2">
                {line.docket_id !== null && (
                  <Link className="text-primary hover:underline" to={`/dockets/${line.docket_id}/intake`}>
                    {line.shelfmark}
                  </Link>
                )}
              </td>
              <td className="w-1/3 px-3 py-2">
                {line.action}
                {steps?.some((one) => one.id === line.after?.file_step_id && one.can_be_taken_back) && (
                  <button type="button" className="ml-2 font-medium text-primary" disabled={back.isPending} onClick={() => back.mutate(Number(line.after?.file_step_id))}>Take back</button>
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
    </Desk>
  );
}

type Values = Record<string, unknown> | null | undefined;

function Change({ before, after }: { before: Values; after: Values }) {
  const names = [...new Set([...Object.keys(before ?? {}), ...Object.keys(after ?? {})])];
  const shown = names.slice(0, 4);
  return (
    <>
      {shown.map((name) => (
        <div key={name} className="break-all">
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
  const words = typeof value === "object" ? JSON.stringify(value) : String(value);
  return words.length > 60 ? `${words.slice(0, 24)}…` : words;
}
