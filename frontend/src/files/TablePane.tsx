import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { address, bytes } from "../api/bytes";
import { answer, api, type ProposedCells, type Row, type Schemas } from "../api/client";
import { NumberInput } from "../ui/NumberInput";
import { Trouble } from "../words/Trouble";
import { meantWords, useAsking } from "./asking";
import type { Columns } from "./columns";
import { PATH, SILENCE } from "./rows";
import type { SheetState } from "./useSheet";

interface Props {
  rows: readonly Row[];
  ticked: boolean;
  bundles: number[];
  columns: Columns;
  state: SheetState;
}

const DERIVED: { what: Schemas["Derive"]["what"]; words: string }[] = [
  { what: "discs", words: "Discs out of album and folder names" },
  { what: "album artists", words: "Album artists, compilations" },
  { what: "totals", words: "How many tracks and discs" },
  { what: "filed under", words: "Names to file under" },
  { what: "original dates", words: "First released" },
];

/** Numbers, what follows from other fields, spreadsheets, and which columns there are. */
export function TablePane({ rows, ticked, bundles, columns, state }: Props) {
  const ask = useAsking(state);
  const [start, setStart] = useState(1);
  const [perFolder, setPerFolder] = useState(true);
  const [totals, setTotals] = useState(true);
  const ids = rows.map((row) => row.id);
  const silent = rows.filter((row) => row.silent_tail_s >= 5 && ["FLAC", "WAV", "AIFF"].includes(row.format));
  const read = useMutation({
    mutationFn: async (file: File): Promise<ProposedCells> => {
      const url = address("/api/v1/sheet/spreadsheet", { bundle: bundles });
      return (await (await bytes(url, { method: "POST", body: file })).json()) as ProposedCells;
    },
    onSuccess: state.setProposed,
  });
  const names = columns.chosen.filter((one) => !one.fact || one.name === PATH).map((one) => one.name);
  const out = (form: string) =>
    `/api/v1/sheet/spreadsheet?${new URLSearchParams([
      ["form", form],
      ...bundles.map((one) => ["bundle", `${one}`]),
      ...names.map((one) => ["column", one]),
    ]).toString()}`;
  return (
    <div>
      <h2 className="margin-heading">Number tracks</h2>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <label className="flex items-center gap-1">
          from{" "}
          <NumberInput
            label="First number"
            className="figure w-14 border border-base-300 bg-base-100 px-1"
            min={0}
            whole
            value={start}
            onChange={setStart}
          />
        </label>
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={perFolder} onChange={(event) => setPerFolder(event.target.checked)} /> anew in
          each folder
        </label>
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={totals} onChange={(event) => setTotals(event.target.checked)} /> and how many
        </label>
      </div>
      <button
        type="button"
        className="press mt-1.5 w-full justify-center"
        disabled={ids.length === 0}
        onClick={() =>
          ask.mutate(() =>
            answer(api.POST("/api/v1/sheet/number", { body: { file_ids: ids, start, per_folder: perFolder, totals } })),
          )
        }
      >
        Number {meantWords(ids.length, ticked)}, as shown
      </button>

      <h2 className="margin-heading">What follows from the rest</h2>
      <div className="grid gap-1">
        {DERIVED.map((one) => (
          <button
            key={one.what}
            type="button"
            className="press justify-center"
            disabled={ids.length === 0}
            onClick={() =>
              ask.mutate(() => answer(api.POST("/api/v1/sheet/derive", { body: { file_ids: ids, what: one.what } })))
            }
          >
            {one.words}
          </button>
        ))}
        <button
          type="button"
          className="press justify-center"
          title="The language zxx: no linguistic content"
          disabled={ids.length === 0}
          onClick={() => state.change(ids.map((id) => ({ file_id: id, field: "language", value: "zxx" })))}
        >
          These have no words
        </button>
        {silent.length > 0 && (
          <button
            type="button"
            className="press justify-center"
            onClick={() => state.change(silent.map((row) => ({ file_id: row.id, field: SILENCE, value: "take off" })))}
          >
            Take the silent end off {silent.length}
          </button>
        )}
      </div>

      <h2 className="margin-heading">Spreadsheet</h2>
      <div className="flex flex-wrap gap-2">
        <a className="press" href={out("csv")} download="files.csv">
          CSV
        </a>
        <a className="press" href={out("xlsx")} download="files.xlsx">
          XLSX
        </a>
        <label className="press">
          Read one back
          <input
            type="file"
            className="sr-only"
            aria-label="Read a spreadsheet back"
            accept=".csv,.xlsx,.tsv,.txt"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) read.mutate(file);
              event.target.value = "";
            }}
          />
        </label>
      </div>
      <p className="quiet mt-1 text-[12px]">
        The columns in sight go out. Leave the column “file” in it; others may go, move or be added.
      </p>
      {(ask.error ?? read.error) && (
        <div className="mt-2">
          <Trouble error={ask.error ?? read.error} />
        </div>
      )}

      <h2 className="margin-heading">Columns</h2>
      <ul>
        {[...columns.chosen, ...columns.every.filter((one) => !columns.chosen.includes(one))].map((one) => {
          const chosen = columns.chosen.includes(one);
          return (
            <li key={one.name} className="flex items-center gap-2">
              <label className="flex min-w-0 flex-1 items-center gap-1.5">
                <input type="checkbox" checked={chosen} onChange={() => columns.toggle(one.name)} />{" "}
                <span className="truncate">{one.label}</span>
              </label>
              {chosen && columns.chosen[0] !== one && (
                <button
                  type="button"
                  className="text-primary"
                  aria-label={`${one.label} further left`}
                  onClick={() => columns.move(one.name, -1)}
                >
                  ←
                </button>
              )}
            </li>
          );
        })}
      </ul>
      <button type="button" className="mt-1 text-primary" onClick={columns.reset}>
        As it was at first
      </button>
    </div>
  );
}
