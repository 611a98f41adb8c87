import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Row, type SheetField, type WordingRule, type WordingStep } from "../api/client";
import { wordingRulesQuery } from "../api/filesQueries";
import { Trouble } from "../words/Trouble";
import { useSaveSeen } from "../words/useSaveSeen";
import { meantWords, useAsking } from "./asking";
import { StepFields } from "./StepFields";
import type { SheetState } from "./useSheet";
import { STEPS, wordsOf } from "./wording";

interface Props {
  rows: readonly Row[];
  ticked: boolean;
  fields: readonly SheetField[];
  state: SheetState;
}

const FIELDS = ["title", "artist", "album", "album_artist", "composer", "genre", "comment"];

/** Texts put right by rules: steps on fields, tried on the sheet before anything is kept. */
export function WordingPane({ rows, ticked, fields, state }: Props) {
  const cache = useQueryClient();
  const { data: saved } = useQuery(wordingRulesQuery);
  const [chosen, setChosen] = useState<string[]>(["title"]);
  const [steps, setSteps] = useState<WordingStep[]>([]);
  const [name, setName] = useState("");
  const ask = useAsking(state);
  const keep = () => cache.invalidateQueries({ queryKey: wordingRulesQuery.queryKey });
  const saving = useSaveSeen(
    (rule: WordingRule, on: string) =>
      answer(api.PUT("/api/v1/wording-rules", { body: rule, params: { query: { on } } })),
    (rule) => saved?.find((one) => one.rule.name === rule.name.trim())?.version ?? "",
    keep,
  );
  const order = useMutation({
    mutationFn: (ids: number[]) => answer(api.PUT("/api/v1/wording-rules/order", { body: { ids } })),
    onSuccess: keep,
  });
  const forget = useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE("/api/v1/house-documents/{document_id}", { params: { path: { document_id: id } } })),
    onSuccess: keep,
  });
  const preview = (rules: WordingRule[]) =>
    ask.mutate(() =>
      answer(api.POST("/api/v1/sheet/reword", { body: { file_ids: rows.map((row) => row.id), rules } })),
    );
  const rule: WordingRule = { name, fields: chosen, steps };
  const swap = (at: number, by: number) => {
    const next = [...steps];
    const [one] = next.splice(at, 1);
    if (one) next.splice(at + by, 0, one);
    setSteps(next);
  };
  const move = (at: number, by: number) => {
    const ids = (saved ?? []).map((one) => one.id);
    const [one] = ids.splice(at, 1);
    if (one !== undefined) ids.splice(at + by, 0, one);
    order.mutate(ids);
  };
  const shownFields = [
    ...FIELDS.flatMap((one) => fields.find((field) => field.name === one) ?? []).map((one) => ({
      name: one.name,
      label: one.label,
    })),
    { name: "name", label: "File name" },
  ];
  return (
    <div>
      <h2 className="margin-heading">A rule for</h2>
      <div className="flex flex-wrap gap-x-3 gap-y-1">
        {shownFields.map((one) => (
          <label key={one.name} className="flex items-center gap-1">
            <input
              type="checkbox"
              checked={chosen.includes(one.name)}
              onChange={(event) =>
                setChosen(event.target.checked ? [...chosen, one.name] : chosen.filter((other) => other !== one.name))
              }
            />
            {one.label}
          </label>
        ))}
      </div>
      <ol className="mt-2 grid gap-2">
        {steps.map((step, at) => (
          <li key={`${at} ${step.do}`} className="border border-base-300 bg-base-100 p-2">
            <div className="mb-1 flex items-center gap-2">
              <span className="figure quiet">{at + 1}</span>
              <span className="font-medium">{wordsOf(step)}</span>
              <span className="ml-auto flex gap-2 text-primary">
                {at > 0 && (
                  <button type="button" aria-label={`Step ${at + 1} earlier`} onClick={() => swap(at, -1)}>
                    ↑
                  </button>
                )}
                <button
                  type="button"
                  aria-label={`Take step ${at + 1} away`}
                  onClick={() => setSteps(steps.filter((_, other) => other !== at))}
                >
                  ✕
                </button>
              </span>
            </div>
            <StepFields
              step={step}
              fields={fields}
              onChange={(next) => setSteps(steps.map((one, other) => (other === at ? next : one)))}
            />
          </li>
        ))}
      </ol>
      <select
        aria-label="Add a step"
        className="mt-2 w-full border border-base-300 bg-base-100 px-1 py-1 text-primary"
        value=""
        onChange={(event) => {
          const made = STEPS.find((one) => one.words === event.target.value)?.make();
          if (made) setSteps([...steps, made]);
        }}
      >
        <option value="">{steps.length ? "then ..." : "Add a step ..."}</option>
        {STEPS.map((one) => (
          <option key={one.words}>{one.words}</option>
        ))}
      </select>
      <button
        type="button"
        className="press press-main mt-3 w-full justify-center"
        disabled={steps.length === 0 || chosen.length === 0 || rows.length === 0 || ask.isPending}
        onClick={() => preview([rule])}
      >
        Try it on {meantWords(rows.length, ticked)}
      </button>
      {steps.length > 0 && (
        <form
          className="mt-2 flex gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            saving.save(rule);
          }}
        >
          <input
            className="w-full border border-base-300 bg-base-100 px-1.5"
            aria-label="Name of the rule"
            placeholder="name it to keep it"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button type="submit" className="press !px-2" disabled={!name.trim() || chosen.length === 0}>
            Save
          </button>
        </form>
      )}
      {saving.trouble}
      {(ask.error ?? forget.error) && <Trouble error={ask.error ?? forget.error} />}
      {saved && saved.length > 0 && (
        <>
          <h2 className="margin-heading">Saved rules, in order</h2>
          <ol className="grid gap-1">
            {saved.map((one, at) => (
              <li key={one.id} className="flex items-center gap-2">
                <button
                  type="button"
                  className="min-w-0 flex-1 truncate text-left text-primary"
                  onClick={() => {
                    setChosen(one.rule.fields);
                    setSteps(one.rule.steps);
                    setName(one.rule.name);
                  }}
                >
                  {one.rule.name}
                </button>
                {at > 0 && (
                  <button
                    type="button"
                    className="text-primary"
                    aria-label={`${one.rule.name} earlier`}
                    onClick={() => move(at, -1)}
                  >
                    ↑
                  </button>
                )}
                <button
                  type="button"
                  className="text-primary"
                  aria-label={`Take ${one.rule.name} away`}
                  onClick={() => forget.mutate(one.id)}
                >
                  ✕
                </button>
              </li>
            ))}
          </ol>
          <button
            type="button"
            className="press mt-2 w-full justify-center"
            disabled={rows.length === 0}
            onClick={() => preview(saved.map((one) => one.rule))}
          >
            Try all of them in order
          </button>
        </>
      )}
    </div>
  );
}
