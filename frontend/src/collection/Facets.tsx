import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Check, type CollectionFound } from "../api/client";
import { savedSearchesQuery } from "../api/queries";
import { useSaveSeen } from "../words/useSaveSeen";
import { type Facet, FACETS, paramsOf, toggled, wantedOf } from "./search";

const LABELS: Record<Facet, string> = {
  kind: "From",
  state: "Standing",
  carrier: "Carrier",
  decade: "Decade",
  format: "Format",
};
const KINDS: Record<string, string> = { docket: "dockets", file: "files brought in" };
const MOST = 12;

/** The margin of the collection: saved searches, and what is known of what was found, to narrow it by. */
export function Facets({
  params,
  onChange,
  told,
  checks,
}: {
  params: URLSearchParams;
  onChange: (next: URLSearchParams) => void;
  told: CollectionFound | undefined;
  checks: Check[];
}) {
  const withFinding = (name: string) => {
    const next = new URLSearchParams(params);
    if (name) next.set("finding", name);
    else next.delete("finding");
    onChange(next);
  };
  return (
    <>
      <Saved params={params} onChange={onChange} />
      {FACETS.map((facet) => {
        const chosen = params.getAll(facet);
        const counts = Object.entries(told?.facets[facet] ?? {}).sort(
          facet === "decade" ? ([a], [b]) => a.localeCompare(b) : ([, a], [, b]) => b - a,
        );
        for (const value of chosen) if (!counts.some(([one]) => one === value)) counts.push([value, 0]);
        if (counts.length === 0 || (counts.length === 1 && chosen.length === 0)) return null;
        return (
          <fieldset key={facet} className="mt-4">
            <legend className="margin-heading">{LABELS[facet]}</legend>
            {counts
              .filter(([value], place) => place < MOST || chosen.includes(value))
              .map(([value, count]) => (
                <label key={value} className="flex items-baseline gap-2">
                  <input
                    type="checkbox"
                    checked={chosen.includes(value)}
                    onChange={() => onChange(toggled(params, facet, value))}
                  />
                  <span className="min-w-0 flex-1 truncate">
                    {(facet === "kind" ? KINDS[value] : value) || "not said"}
                  </span>
                  <span className="figure quiet">{count.toLocaleString("en-GB")}</span>
                </label>
              ))}
          </fieldset>
        );
      })}
      {checks.length > 0 && (
        <label className="mt-4 block">
          <span className="margin-heading block">Finding of the survey</span>
          <select
            className="field w-full"
            value={params.get("finding") ?? ""}
            onChange={(event) => withFinding(event.target.value)}
          >
            <option value="">with or without</option>
            {checks
              .filter((one) => one.open > 0)
              .map((one) => (
                <option key={one.name} value={one.name}>
                  {one.label}
                </option>
              ))}
          </select>
        </label>
      )}
    </>
  );
}

function Saved({ params, onChange }: { params: URLSearchParams; onChange: (next: URLSearchParams) => void }) {
  const cache = useQueryClient();
  const { data: saved = [] } = useQuery(savedSearchesQuery);
  const [name, setName] = useState("");
  const again = () => cache.invalidateQueries({ queryKey: savedSearchesQuery.queryKey });
  const wanted = wantedOf(params);
  const saving = useSaveSeen(
    (under: string, on: string) =>
      answer(
        api.PUT("/api/v1/collection/searches", {
          params: { query: { on } },
          body: {
            name: under,
            wanted: {
              text: "",
              field: "",
              kind: [],
              state: [],
              carrier: [],
              decade: [],
              format: [],
              finding: "",
              ...wanted,
            },
          },
        }),
      ),
    (under) => saved.find((one) => one.name === under.trim())?.version ?? "",
    again,
    () => setName(""),
  );
  const forget = useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE("/api/v1/house-documents/{document_id}", { params: { path: { document_id: id } } })),
    onSuccess: again,
  });
  const isAny = Object.keys(wanted).length > 0;
  if (saved.length === 0 && !isAny) return null;
  return (
    <>
      <h2 className="margin-heading">Saved searches</h2>
      <ul>
        {saved.map((one) => (
          <li key={one.id} className="flex gap-2">
            <button
              type="button"
              className="min-w-0 flex-1 truncate text-left text-primary"
              onClick={() => onChange(paramsOf(one.wanted))}
            >
              {one.name}
            </button>
            <button
              type="button"
              className="quiet"
              aria-label={`Forget ${one.name}`}
              onClick={() => forget.mutate(one.id)}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      {isAny && (
        <form
          className="mt-1 flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            saving.save(name);
          }}
        >
          <input
            className="field min-w-0 flex-1"
            required
            maxLength={100}
            placeholder="Save this one as"
            aria-label="Save this search as"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button className="press" disabled={saving.isSaving}>
            Save
          </button>
        </form>
      )}
      {saving.trouble}
    </>
  );
}
