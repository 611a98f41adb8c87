import { clsx } from "clsx";
import { useState, type ReactNode } from "react";

import type { Docket, Reconcile, ReconcileRow } from "../api/client";
import { sidesOf } from "../docket/useDocket";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { Laid } from "./Laid";
import { moved, parted } from "./pairs";
import { useReconcile, type useSources } from "./useSources";

const MERGED = "several sources";
const SHOWN = [
  ["all", "all fields"],
  ["differing", "where they differ"],
  ["open", "not taken yet"],
] as const;
/** What stands before a row: a shape and a word, never a colour alone. */
const MARKS: Record<ReconcileRow["standing"], [string, string, string]> = {
  disagree: ["≠", "sources disagree", "text-error"],
  "written differently": ["≈", "only written differently", "text-warning"],
  agree: ["=", "sources agree", "text-accent"],
  "one source": ["·", "one source says it", "quiet"],
  silent: ["·", "no source says it", "quiet"],
};

interface Props {
  docket: Docket;
  sources: ReturnType<typeof useSources>;
  title: ReactNode;
}

/** Fields down, sources across: what each says, and which value is taken. */
export function ReconcileTable({ docket, sources, title }: Props) {
  const choice = sources.state?.choice ?? null;
  const { table, take, back, rule, error } = useReconcile(docket, choice !== null);
  const [shown, setShown] = useState<(typeof SHOWN)[number][0]>("all");
  const rows = table?.rows ?? [];
  const open = rows.filter((one) => isOpen(one));
  const takeAll = () =>
    take.mutate({
      values: rows.map((one) => ({ track_key: one.track_key, field: one.field, source: "proposed" })),
      learn: false,
    });
  useCommands([
    { label: "Take everything proposed", keys: ["Enter"], perform: takeAll, disabled: open.length === 0 },
    {
      label: "Take the last values back",
      keys: ["Ctrl+Z"],
      perform: () => back.mutate(),
      disabled: !choice?.can_take_back,
    },
  ]);
  if (!choice)
    return (
      <Desk title={title}>
        <p className="p-8">
          No pressing is chosen yet. Choose one under Pressings; then what its sources say is laid side by side here.
        </p>
      </Desk>
    );
  if (!table) return <Desk title={title}>{error ? <Trouble error={error} /> : null}</Desk>;
  const lines = sidesOf(docket).flatMap((side) => side.tracks);
  const groups = ["", ...lines.map((one) => one.key)]
    .map((key) => ({ key, rows: rows.filter((one) => one.track_key === key && fits(one, shown)) }))
    .filter((group) => group.rows.length > 0);
  const columnOf = (source: string) =>
    take.mutate({ values: rows.map((one) => ({ track_key: one.track_key, field: one.field, source })), learn: true });
  return (
    <Desk
      title={title}
      margin={
        <Rules
          table={table}
          onForget={(field) => rule.save({ field, source: "", fixed: false })}
          onPrefer={(field, source) => rule.save({ field, source, fixed: true })}
        />
      }
    >
      {(error || rule.trouble) && (
        <div className="px-5 py-3">
          {error && <Trouble error={error} />}
          {rule.trouble}
        </div>
      )}
      <div className="flex items-center gap-2 px-5 py-3">
        <button
          type="button"
          className="press press-main"
          disabled={open.length === 0 || take.isPending}
          onClick={takeAll}
        >
          {open.length > 0 ? `Take ${plural(open.length, "value")} as proposed` : "Everything proposed is taken"}
        </button>
        <button type="button" className="press" disabled={!choice.can_take_back} onClick={() => back.mutate()}>
          Take the last values back
        </button>
        <select
          aria-label="Shown"
          className="cell ml-auto !w-auto border !border-base-300 !py-0.5"
          value={shown}
          onChange={(event) => setShown(event.target.value as typeof shown)}
        >
          {SHOWN.map(([name, label]) => (
            <option key={name} value={name}>
              {label}
            </option>
          ))}
        </select>
      </div>
      <table className="w-full table-fixed border-collapse text-[13px]" aria-label="Fields and sources">
        <thead className="sticky top-0 z-10 bg-base-200 text-left">
          <tr>
            <th className="w-10 pl-5" aria-label="Standing" />
            <th className="w-28 px-2 py-1.5 font-medium">Field</th>
            <th className="px-2 font-medium">Here</th>
            {table.sources.map((source) => (
              <th key={source} className="px-2 font-medium">
                {source}
                <button
                  type="button"
                  className="press !my-0.5 !flex !px-1.5 !py-0 !text-[12px]"
                  onClick={() => columnOf(source)}
                  aria-label={`Take all from ${source}`}
                >
                  take all
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {groups.map((group) => {
            const line = lines.find((one) => one.key === group.key);
            return [
              <tr key={`${group.key} head`}>
                <th
                  colSpan={3 + table.sources.length}
                  className="px-5 pb-0.5 pt-3 text-left font-serif text-[14px] font-semibold"
                >
                  {line ? `Track ${line.number}${line.title ? `, ${line.title}` : ""}` : "Release"}
                </th>
              </tr>,
              ...group.rows.map((one) => (
                <FieldRow
                  key={`${group.key} ${one.field}`}
                  row={one}
                  sources={table.sources}
                  onTake={(source) =>
                    take.mutate({
                      values: [{ track_key: one.track_key, field: one.field, source }],
                      learn: source !== MERGED && source !== "proposed",
                    })
                  }
                />
              )),
            ];
          })}
        </tbody>
      </table>
      <Laid
        title="Which track is which"
        pairs={table.pairs}
        speedRatio={1}
        onMove={(row, by) => sources.pair.mutate(moved(table.pairs, row, by))}
        onPart={(row) => sources.pair.mutate(parted(table.pairs, row))}
        note={
          <p className="quiet mb-1 text-[12.5px]">
            A track of the release is moved by its arrows or by dragging its row onto another.
          </p>
        }
      />
    </Desk>
  );
}

const isOpen = (row: ReconcileRow): boolean => row.value !== row.proposed && row.origin !== "typed in";

const fits = (row: ReconcileRow, shown: (typeof SHOWN)[number][0]): boolean =>
  shown === "all" ||
  (shown === "open" ? isOpen(row) : row.standing === "disagree" || row.standing === "written differently");

function FieldRow({
  row,
  sources,
  onTake,
}: {
  row: ReconcileRow;
  sources: string[];
  onTake: (source: string) => void;
}) {
  const [mark, words, tone] = MARKS[row.standing];
  const typed = row.origin === "typed in" && row.value !== "";
  const isMerged = row.proposed_from === MERGED;
  return (
    <tr className="rule-b align-top" data-field={row.field} data-standing={row.standing}>
      <td className={`pl-5 text-center font-semibold ${tone}`} title={words} aria-label={words}>
        {mark}
      </td>
      <td className="quiet px-2 py-1">{row.label}</td>
      <td className="break-words px-2 py-1">
        {row.value ? <span className="font-medium">{row.value}</span> : <span className="quiet">nothing yet</span>}
        <span className="quiet block text-[11.5px]">
          {typed ? "typed in; it stands" : row.value ? row.origin : ""}
          {!typed && row.proposed !== row.value && (
            <>
              {row.value && "; "}proposed: {row.proposed.length > 60 ? `${row.proposed.slice(0, 60)}…` : row.proposed} (
              {row.why}){" "}
              <button
                type="button"
                className="text-primary underline"
                onClick={() => onTake(isMerged ? MERGED : "proposed")}
                aria-label={`Take ${row.label} as proposed`}
              >
                take
              </button>
            </>
          )}
        </span>
      </td>
      {sources.map((source) => {
        const offer = row.offers.find((one) => one.source === source);
        if (!offer)
          return (
            <td key={source} className="quiet px-2 py-1">
              –
            </td>
          );
        const isTaken = row.origin === source && row.value === offer.value;
        return (
          <td key={source} className="px-1 py-0.5">
            <button
              type="button"
              disabled={typed}
              aria-pressed={isTaken}
              aria-label={`Take ${row.label} from ${source}`}
              className={clsx(
                "w-full rounded-sm border px-1.5 py-0.5 text-left",
                isTaken
                  ? "border-accent bg-base-200"
                  : "border-transparent hover:border-primary disabled:hover:border-transparent",
              )}
              onClick={() => onTake(source)}
            >
              <span className="break-words">{offer.value}</span>
              {isTaken && <span className="text-accent"> ✓</span>}
              {offer.difference !== "same" && (
                <span className={`block text-[11.5px] ${offer.difference === "different" ? "text-error" : "quiet"}`}>
                  {DIFFERENCES[offer.difference]}
                </span>
              )}
            </button>
          </td>
        );
      })}
    </tr>
  );
}

const DIFFERENCES: Record<ReconcileRow["offers"][number]["difference"], string> = {
  same: "",
  spacing: "other spacing",
  case: "other capitals",
  accents: "other accents",
  punctuation: "other punctuation",
  "less exact": "says less or more",
  different: "says something else",
};

function Rules({
  table,
  onForget,
  onPrefer,
}: {
  table: Reconcile;
  onForget: (field: string) => void;
  onPrefer: (field: string, source: string) => void;
}) {
  const fields = [...new Map(table.rows.map((one) => [one.field, one.label]))];
  const [field, setField] = useState("");
  const [source, setSource] = useState("");
  const label = (name: string) => fields.find(([one]) => one === name)?.[1] ?? name.replaceAll("_", " ");
  return (
    <>
      <h2 className="margin-heading">What differs</h2>
      <p>
        {plural(table.rows.filter((one) => one.standing === "disagree").length, "field")}
        {" in which sources disagree, "}
        {table.rows.filter((one) => one.standing === "written differently").length} only written differently.
      </p>
      <h2 className="margin-heading">Which source is preferred</h2>
      <p className="mb-2">
        Learnt from what is taken by hand where sources disagree: three times, and three of four times. Nothing is
        hidden: what was learnt stands here.
      </p>
      {table.rules.length === 0 && <p className="quiet">Nothing was learnt yet.</p>}
      <ul className="flex flex-col gap-1" aria-label="Rules">
        {table.rules.map((one) => (
          <li key={`${one.field} ${one.source}`} className="flex items-baseline gap-2">
            <span className="flex-1">
              <span className="font-medium">{label(one.field)}</span>: {one.source},{" "}
              {one.fixed ? "set by hand" : `taken ${one.taken} of ${one.taken + one.passed_over} times`}
              {!one.fixed && one.taken >= 3 && one.taken >= 0.75 * (one.taken + one.passed_over) && (
                <span className="text-accent"> (preferred)</span>
              )}
            </span>
            <button
              type="button"
              className="text-primary underline"
              onClick={() => onForget(one.field)}
              aria-label={`Forget what was learnt of ${label(one.field)}`}
            >
              forget
            </button>
          </li>
        ))}
      </ul>
      <h2 className="margin-heading">Prefer one by hand</h2>
      <div className="flex flex-col gap-1">
        <select
          aria-label="Field of the rule"
          className="cell border !border-base-300"
          value={field}
          onChange={(event) => setField(event.target.value)}
        >
          <option value="">a field</option>
          {fields.map(([name, words]) => (
            <option key={name} value={name}>
              {words}
            </option>
          ))}
        </select>
        <select
          aria-label="Source of the rule"
          className="cell border !border-base-300"
          value={source}
          onChange={(event) => setSource(event.target.value)}
        >
          <option value="">a source</option>
          {table.sources.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
        <button
          type="button"
          className="press justify-center"
          disabled={!field || !source}
          onClick={() => onPrefer(field, source)}
        >
          Prefer it from now on
        </button>
      </div>
    </>
  );
}
