import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";

import { answer, api, type Naming, type Row } from "../api/client";
import { filingPatternsQuery, patternExamplesQuery } from "../api/filesQueries";
import { NumberInput } from "../ui/NumberInput";
import { Trouble } from "../words/Trouble";
import { useSaveSeen } from "../words/useSaveSeen";
import { meantWords, useAsking } from "./asking";
import type { SheetState } from "./useSheet";

const START: Naming = {
  name: "",
  pattern: "{album_artist}/{date:.4} {album}/{track_number:02} {title}",
  compilations: "Compilations/{album}/{track_number:02} {artist} - {title}",
  classical: "",
  disc_folder: "Disc {disc_number}",
  missing: "leave out",
  instead: "-",
  most_characters: 120,
};
const FIELD = "figure w-full border border-base-300 bg-base-100 px-1.5 py-1 text-[12px]";

/** Names from tags, and tags from names. */
export function NamesPane({ rows, ticked, state }: { rows: readonly Row[]; ticked: boolean; state: SheetState }) {
  const cache = useQueryClient();
  const [naming, setNaming] = useState<Naming>(START);
  const [reading, setReading] = useState("{artist} - {title}");
  const { data: saved } = useQuery(filingPatternsQuery);
  const examples = useQuery(patternExamplesQuery(useDeferredValue(naming)));
  const ask = useAsking(state);
  const saving = useSaveSeen(
    (wanted: Naming, on: string) =>
      answer(api.PUT("/api/v1/filing-patterns", { body: wanted, params: { query: { on } } })),
    (wanted) => saved?.find((one) => one.naming.name === wanted.name?.trim())?.version ?? "",
    () => cache.invalidateQueries({ queryKey: filingPatternsQuery.queryKey }),
  );
  const ids = rows.map((row) => row.id);
  const part = (key: "pattern" | "compilations" | "classical" | "disc_folder", label: string, hint: string) => (
    <label className="mt-1.5 block">
      <span className="quiet">{label}</span>
      <input
        className={FIELD}
        aria-label={label}
        placeholder={hint}
        value={naming[key]}
        onChange={(event) => setNaming({ ...naming, [key]: event.target.value })}
      />
    </label>
  );
  return (
    <div>
      <h2 className="margin-heading">Tags out of names</h2>
      <input
        className={FIELD}
        aria-label="Names are"
        value={reading}
        onChange={(event) => setReading(event.target.value)}
      />
      <button
        type="button"
        className="press mt-1.5 w-full justify-center"
        disabled={ids.length === 0 || !reading}
        onClick={() =>
          ask.mutate(() => answer(api.POST("/api/v1/sheet/read-names", { body: { file_ids: ids, pattern: reading } })))
        }
      >
        Read {meantWords(ids.length, ticked)}
      </button>
      <p className="quiet mt-1 text-[12px]">A slash stands for a folder, {"{nothing}"} for what is read over.</p>

      <h2 className="margin-heading">Names out of tags</h2>
      <select
        aria-label="Saved patterns"
        className="mb-1 w-full border border-base-300 bg-base-100 px-1 py-1"
        value={naming.name}
        onChange={(event) => setNaming(saved?.find((one) => one.naming.name === event.target.value)?.naming ?? START)}
      >
        <option value="">a new pattern</option>
        {saved?.map((one) => (
          <option key={one.id}>{one.naming.name}</option>
        ))}
      </select>
      {part("pattern", "Filing pattern", "")}
      {part("compilations", "Compilations", "like the others")}
      {part("classical", "With composer and work", "like the others")}
      {part("disc_folder", "One of several discs", "no folder")}
      <label className="mt-1.5 flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={naming.missing === "say so"}
          onChange={(event) => setNaming({ ...naming, missing: event.target.checked ? "say so" : "leave out" })}
        />
        write “unknown” for what is missing
      </label>
      <div className="mt-1.5 flex items-center gap-3">
        <label className="flex items-center gap-1">
          at most{" "}
          <NumberInput
            label="Longest name"
            className="figure w-14 border border-base-300 bg-base-100 px-1"
            min={10}
            max={250}
            whole
            value={naming.most_characters}
            onChange={(most_characters) => setNaming({ ...naming, most_characters })}
          />
        </label>
        <label className="flex items-center gap-1">
          for / and \{" "}
          <input
            maxLength={3}
            aria-label="Instead of slashes"
            className="figure w-10 border border-base-300 bg-base-100 px-1"
            value={naming.instead}
            onChange={(event) => setNaming({ ...naming, instead: event.target.value })}
          />
        </label>
      </div>
      {examples.error ? (
        <div className="mt-2">
          <Trouble error={examples.error} />
        </div>
      ) : (
        <ul aria-label="Examples" className="mt-2 grid gap-1.5 text-[12px]">
          {(examples.data ?? []).map((one) => (
            <li key={one.what}>
              <span className="quiet">{one.what}</span>
              <span className="figure block break-all">{one.path}</span>
            </li>
          ))}
        </ul>
      )}
      <button
        type="button"
        className="press press-main mt-2 w-full justify-center"
        disabled={ids.length === 0 || !!examples.error}
        onClick={() => ask.mutate(() => answer(api.POST("/api/v1/sheet/name", { body: { file_ids: ids, naming } })))}
      >
        File {meantWords(ids.length, ticked)}
      </button>
      <form
        className="mt-2 flex gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          saving.save(naming);
        }}
      >
        <input
          className="w-full border border-base-300 bg-base-100 px-1.5"
          aria-label="Name of the pattern"
          placeholder="name it to keep it"
          value={naming.name}
          onChange={(event) => setNaming({ ...naming, name: event.target.value })}
        />
        <button type="submit" className="press !px-2" disabled={!naming.name?.trim()}>
          Save
        </button>
      </form>
      <div className="mt-2">
        {saving.trouble}
        {ask.error && <Trouble error={ask.error} />}
      </div>
    </div>
  );
}
