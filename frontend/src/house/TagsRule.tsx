import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import { answer, api, type House, type SheetField, type TagRule } from "../api/client";
import { sheetFieldsQuery } from "../api/filesQueries";
import { NumberInput } from "../ui/NumberInput";
import { useDraft } from "../words/useDraft";
import { useLookAgain } from "./declaring";

const TAG_LABELS: Record<keyof TagRule, string> = {
  wanted: "Every file has",
  wording: "Wording rules",
  silence_s: "Silence at an end is told from, s",
};

/** Which fields every file has, and by which wording rules. */
export function TagsRule({ house }: { house: House }) {
  const { data: fields = [] } = useQuery(sheetFieldsQuery);
  const {
    draft: rule,
    set,
    save,
    canSave,
    trouble,
  } = useDraft<TagRule>(
    house.tags,
    (wanted, seen) => answer(api.PUT("/api/v1/house-rules/tags", { body: { rule: wanted, seen } })),
    useLookAgain(),
    TAG_LABELS,
  );
  const wanted = rule.wanted ?? [];
  const wording = rule.wording ?? [];
  const flip = (held: readonly string[], one: string) =>
    held.includes(one) ? held.filter((each) => each !== one) : [...held, one];
  const label = (name: string) => fields.find((one: SheetField) => one.name === name)?.label ?? name;
  const others = fields.filter((one: SheetField) => !wanted.includes(one.name));
  return (
    <form
      className="grid gap-3 text-[13px]"
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <div>
        <span className="quiet">Every file has</span>
        <ul className="mt-1 flex flex-wrap gap-1.5">
          {wanted.map((name) => (
            <li key={name}>
              <button
                type="button"
                className="press !py-0.5"
                aria-label={`Want ${label(name)} no more`}
                onClick={() => set({ wanted: flip(wanted, name) })}
              >
                {label(name)} ×
              </button>
            </li>
          ))}
          <li>
            <select
              className="field !py-0.5"
              aria-label="Want another field"
              value=""
              onChange={(event) => set({ wanted: [...wanted, event.target.value] })}
            >
              <option value="">and another field</option>
              {others.map((one: SheetField) => (
                <option key={one.name} value={one.name}>
                  {one.label}
                </option>
              ))}
            </select>
          </li>
        </ul>
      </div>
      <div>
        <span className="quiet">Texts are as these wording rules leave them, in this order</span>
        {house.wording.length === 0 ? (
          <p>
            None is saved.{" "}
            <Link className="text-primary" to="/files">
              Open files as a sheet
            </Link>
            , make one under Wording, and save it.
          </p>
        ) : (
          <ul className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
            {house.wording.map((name) => (
              <li key={name}>
                <label className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={wording.includes(name)}
                    onChange={() => set({ wording: flip(wording, name) })}
                  />
                  {wording.includes(name) && <span className="figure quiet">{wording.indexOf(name) + 1}</span>}
                  {name}
                </label>
              </li>
            ))}
          </ul>
        )}
      </div>
      <div className="flex items-end gap-5">
        <label>
          <span className="quiet block">Silence at an end is told from, s</span>
          <NumberInput
            className="field figure w-20"
            unit="s"
            min={1}
            max={600}
            value={rule.silence_s ?? 10}
            onChange={(silence_s) => set({ silence_s })}
          />
        </label>
        <button className="press" disabled={!canSave}>
          Save rule
        </button>
      </div>
      {trouble}
    </form>
  );
}
