import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useMemo, useState } from "react";
import { Link, Navigate, useSearchParams } from "react-router";

import { bundlesQuery, fileStepsQuery } from "../api/filesQueries";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { FindField } from "../frame/FindField";
import { plural } from "../words/figures";
import { ChangedMeanwhile } from "../words/ChangedMeanwhile";
import { Trouble } from "../words/Trouble";
import { ArtPane } from "./ArtPane";
import { useColumns } from "./columns";
import { FilePane } from "./FilePane";
import { Grid, type Spot } from "./Grid";
import { NamesPane } from "./NamesPane";
import { filterOf, type GroupBy, linesOf, LOOKS, sortRows } from "./rows";
import { TablePane } from "./TablePane";
import { useSheet } from "./useSheet";
import { WordingPane } from "./WordingPane";
import { WritePane } from "./WritePane";

const PANES = ["File", "Wording", "Names", "Table", "Pictures", "Write"] as const;
type Pane = (typeof PANES)[number];
const GROUPS: GroupBy[] = ["none", "folder", "album", "artist"];

/** The sheet of the bundles that the address names; one that names none leads to where they are chosen. */
export function SheetPage() {
  const [params] = useSearchParams();
  const key = params
    .getAll("bundle")
    .map(Number)
    .filter((one) => one > 0)
    .join();
  const bundles = useMemo(() => key.split(",").filter(Boolean).map(Number), [key]);
  return bundles.length > 0 ? <Sheet bundles={bundles} /> : <Navigate to="/files" replace />;
}

/** Every file of some bundles as a row: looked through, put right, and written when all is as it should be. */
function Sheet({ bundles }: { bundles: number[] }) {
  const [params, setParams] = useSearchParams();
  const state = useSheet(bundles);
  const { data: every } = useQuery(bundlesQuery);
  const { data: steps } = useQuery(fileStepsQuery);
  const columns = useColumns(state.sheet.data?.fields ?? []);
  const [ticked, setTicked] = useState<ReadonlySet<number>>(new Set());
  const [spot, setSpot] = useState<Spot>({ row: 0, column: 0 });
  const [sort, setSort] = useState({ name: "path", down: false });
  const [onlyChanging, setOnlyChanging] = useState(false);

  const set = (name: string, value: string) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  const text = params.get("find") ?? "";
  const look = params.get("look") ?? "everything";
  const by = (GROUPS as string[]).includes(params.get("by") ?? "") ? (params.get("by") as GroupBy) : "folder";
  const pane = (PANES as readonly string[]).includes(params.get("pane") ?? "") ? (params.get("pane") as Pane) : "File";

  const deferred = useDeferredValue(text);
  const { data } = state.sheet;
  const test = useMemo(() => filterOf(deferred, columns.every), [deferred, columns.every]);
  const found = useMemo(() => {
    const rows = data?.rows ?? [];
    const keep = typeof test === "string" ? () => true : test;
    const looked = LOOKS[look] ?? (() => true);
    return rows.filter(
      (row) => looked(row) && keep(row) && (!onlyChanging || !state.proposed || state.proposedBy.has(row.id)),
    );
  }, [data, test, look, onlyChanging, state.proposed, state.proposedBy]);
  const lines = useMemo(() => linesOf(sortRows(found, sort.name, sort.down, by), by), [found, sort, by]);
  const line = lines[spot.row];
  const row = line?.kind === "row" ? line.row : undefined;
  // What is worked on: ticked rows, or all that are in sight, in the order in which they are shown.
  const meant = useMemo(
    () =>
      lines.flatMap((one) =>
        one.kind === "row" && one.row.kind === "audio" && (ticked.size === 0 || ticked.has(one.row.id))
          ? [one.row]
          : [],
      ),
    [lines, ticked],
  );
  const changed = useMemo(() => (data?.rows ?? []).filter((one) => Object.keys(one.pending).length > 0), [data]);
  const writing = steps?.find((one) => one.state === "under way" || one.state === "being taken back");
  useCommands([
    { label: "Undo a change of the sheet", keys: ["Ctrl+Z"], perform: state.undo, disabled: !state.canUndo },
    { label: "Do it again", keys: ["Ctrl+Shift+Z"], perform: state.redo, disabled: !state.canRedo },
  ]);

  const names = (every ?? [])
    .filter((one) => bundles.includes(one.id))
    .map((one) => one.name)
    .join(", ");
  const margin = (
    <div>
      <div
        role="group"
        aria-label="Work on the sheet"
        className="mb-3 flex flex-wrap justify-between gap-y-1 border-b border-base-300 pb-2 text-[12.5px]"
      >
        {PANES.map((one) => (
          <button
            key={one}
            type="button"
            aria-pressed={one === pane}
            className={
              one === pane ? "font-semibold underline decoration-error decoration-2 underline-offset-4" : "text-primary"
            }
            onClick={() => set("pane", one === "File" ? "" : one)}
          >
            {one}
          </button>
        ))}
      </div>
      {pane === "File" && <FilePane row={row} />}
      {pane === "Wording" && (
        <WordingPane rows={meant} ticked={ticked.size > 0} fields={data?.fields ?? []} state={state} />
      )}
      {pane === "Names" && <NamesPane rows={meant} ticked={ticked.size > 0} state={state} />}
      {pane === "Table" && (
        <TablePane rows={meant} ticked={ticked.size > 0} bundles={bundles} columns={columns} state={state} />
      )}
      {pane === "Pictures" && <ArtPane rows={meant} ticked={ticked.size > 0} bundles={bundles} onTick={setTicked} />}
      {pane === "Write" && <WritePane changed={changed} fields={data?.fields ?? []} bundles={bundles} state={state} />}
    </div>
  );
  return (
    <Desk
      margin={margin}
      title={
        <>
          <h1 className="min-w-24 flex-1 truncate text-xl" title={names}>
            {names || "Files"}
          </h1>
          <label className="quiet flex items-center gap-1">
            by
            <select
              aria-label="Group by"
              className="border border-base-300 bg-base-100 px-1 py-0.5 text-base-content"
              value={by}
              onChange={(event) => set("by", event.target.value)}
            >
              {GROUPS.map((one) => (
                <option key={one} value={one}>
                  {one === "none" ? "file" : one}
                </option>
              ))}
            </select>
          </label>
          <select
            aria-label="Show"
            className="w-36 border border-base-300 bg-base-100 px-1 py-0.5"
            value={look}
            onChange={(event) => set("look", event.target.value === "everything" ? "" : event.target.value)}
          >
            {Object.keys(LOOKS).map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          <FindField
            label="Find in the sheet"
            placeholder="words, or: year < 1970"
            value={text}
            onChange={(value) => set("find", value)}
          />
        </>
      }
    >
      <div className="flex h-full flex-col">
        {state.changed.length > 0 && (
          <div className="px-5 py-2">
            <ChangedMeanwhile
              changed={state.changed}
              isNamed
              onUseMine={state.useMine}
              onKeepTheirs={state.keepTheirs}
            />
          </div>
        )}
        {(state.sheet.error ?? (state.changed.length === 0 && state.save.error)) && (
          <div className="px-5 py-2">
            <Trouble error={state.sheet.error ?? state.save.error} />
          </div>
        )}
        {typeof test === "string" && (
          <p role="alert" className="px-5 py-1.5 text-error">
            {test}
          </p>
        )}
        {state.proposed && (
          <div
            role="status"
            aria-label="Proposed"
            className="rule-b flex flex-wrap items-center gap-3 bg-base-200 px-5 py-1.5"
          >
            <span>
              {state.proposed.changes.length === 0 ? (
                "Nothing would change."
              ) : (
                <>
                  <b className="figure">{state.proposed.changes.length.toLocaleString("en-GB")}</b> cells of{" "}
                  {plural(state.proposedBy.size, "file")} would change.
                </>
              )}
              {(state.proposed.told ?? []).map((one) => (
                <span key={one} className="block text-warning">
                  {one}
                </span>
              ))}
            </span>
            {state.proposed.changes.length > 0 && (
              <>
                <button type="button" className="press press-main" onClick={state.keepProposed}>
                  Keep them on the sheet
                </button>
                <label className="flex items-center gap-1">
                  <input
                    type="checkbox"
                    checked={onlyChanging}
                    onChange={(event) => setOnlyChanging(event.target.checked)}
                  />{" "}
                  only these rows
                </label>
              </>
            )}
            <button type="button" className="press" onClick={() => state.setProposed(null)}>
              {state.proposed.changes.length ? "Cancel" : "Close"}
            </button>
          </div>
        )}
        {data && data.rows.length === 0 ? (
          <p className="p-8">
            No sound files are here.{" "}
            <Link to="/files" className="text-primary">
              Back to all files
            </Link>
          </p>
        ) : (
          <div className="min-h-0 flex-1">
            <Grid
              lines={lines}
              columns={columns.chosen}
              proposed={state.proposedBy}
              ticked={ticked}
              setTicked={setTicked}
              spot={spot}
              setSpot={setSpot}
              sort={sort}
              onSort={(name) => setSort((old) => ({ name, down: old.name === name && !old.down }))}
              onChange={state.change}
              namesOnly={by === "folder"}
            />
          </div>
        )}
        <footer className="rule-b flex items-center gap-4 border-t border-base-300 bg-base-200 px-5 py-1.5 text-[13px]">
          <span data-testid="sheet-count">
            {plural(found.length, "file")}
            {ticked.size > 0 && `, ${ticked.size} ticked`}
          </span>
          {writing ? (
            <span className="text-warning">
              {writing.what}: {writing.state}
            </span>
          ) : changed.length > 0 ? (
            <>
              <span className="text-error" data-testid="unwritten">
                ✎ {changed.length} changed, not written
              </span>
              <button type="button" className="press press-main !py-0.5" onClick={() => set("pane", "Write")}>
                Look over and write
              </button>
            </>
          ) : (
            <span className="text-accent">✓ every file is as the sheet shows it</span>
          )}
          <span className="quiet ml-auto">Enter edits, Ctrl+Enter for all ticked, Ctrl+D fills down</span>
        </footer>
      </div>
    </Desk>
  );
}
