import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { address, bytes } from "../api/bytes";
import { answer, api, type ArtRule, type Row } from "../api/client";
import { artCheckQuery, artRuleQuery } from "../api/filesQueries";
import { NumberInput } from "../ui/NumberInput";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { meantWords } from "./asking";
import { CropView } from "./CropView";

interface Props {
  rows: readonly Row[];
  ticked: boolean;
  bundles: number[];
  onTick: (ids: ReadonlySet<number>) => void;
}

const ROLES = ["front", "back", "leaflet", "disc", "artist", "other"];
const FIELD = "border border-base-300 bg-base-100 px-1 py-0.5";

/** Pictures in files and beside them: the house's rule, what breaks it, and pictures put in by hand. */
export function ArtPane({ rows, ticked, bundles, onTick }: Props) {
  const cache = useQueryClient();
  const { data: rule } = useQuery(artRuleQuery);
  const { data: check } = useQuery(artCheckQuery(bundles));
  const [role, setRole] = useState("front");
  const [chosen, setChosen] = useState<Blob | null>(null);
  const declare = useMutation({
    mutationFn: (next: ArtRule) => answer(api.PUT("/api/v1/art-rule", { body: { rule: next, seen: rule } })),
    onSuccess: (next) => {
      cache.setQueryData(artRuleQuery.queryKey, next);
      void cache.invalidateQueries({ queryKey: ["art check"] });
    },
  });
  const carry = useMutation({
    mutationFn: (ids: number[]) => answer(api.POST("/api/v1/art-rule/apply", { body: { file_ids: ids } })),
  });
  const takeOut = useMutation({
    mutationFn: (ids: number[]) => answer(api.POST("/api/v1/files/pictures/remove", { body: { file_ids: ids } })),
  });
  const embed = useMutation({
    mutationFn: async (file: Blob) => {
      const url = address("/api/v1/files/pictures", { role, file: rows.map((row) => row.id) });
      await bytes(url, { method: "POST", body: file });
    },
  });
  const ids = rows.map((row) => row.id);
  const broken = Object.keys(check?.files ?? {}).map(Number);
  const mine = ticked ? broken.filter((one) => ids.includes(one)) : broken;
  const set = (more: Partial<ArtRule>) => rule && declare.mutate({ ...rule, ...more });
  return (
    <div
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        const file = [...event.dataTransfer.files].find((one) => one.type.startsWith("image/"));
        if (file) setChosen(file);
      }}
      onPaste={(event) => {
        const file = [...event.clipboardData.files].find((one) => one.type.startsWith("image/"));
        if (file) setChosen(file);
      }}
    >
      <h2 className="margin-heading">The house’s rule</h2>
      {rule && (
        <div className="grid gap-1.5">
          <label className="flex items-center justify-between gap-2">
            In the files
            <select
              aria-label="In the files"
              className={FIELD}
              value={rule.embed}
              onChange={(event) => set({ embed: event.target.value as ArtRule["embed"] })}
            >
              <option value="front">the front</option>
              <option value="all">every picture</option>
              <option value="none">none</option>
            </select>
          </label>
          <label className="flex items-center gap-1.5">
            <input type="checkbox" checked={rule.beside} onChange={({ target }) => set({ beside: target.checked })} />
            the front beside them, as {rule.beside_name}
          </label>
          <label className="flex items-center justify-between gap-2">
            at most, pixels
            <NumberInput
              label="At most, pixels"
              className={`${FIELD} figure w-20`}
              min={200}
              max={10_000}
              whole
              value={rule.most_px}
              onSave={(most_px) => set({ most_px })}
            />
          </label>
          <label className="flex items-center justify-between gap-2">
            at most, kB
            <NumberInput
              label="At most, kB"
              className={`${FIELD} figure w-20`}
              min={20}
              max={20_000}
              whole
              value={rule.most_kb}
              onSave={(most_kb) => set({ most_kb })}
            />
          </label>
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={rule.square === "crop border"}
              onChange={(event) => set({ square: event.target.checked ? "crop border" : "as it is" })}
            />{" "}
            cut square: border off, set straight
          </label>
        </div>
      )}
      {check && (
        <>
          <h2 className="margin-heading">What breaks it</h2>
          {broken.length === 0 ? (
            <p className="text-accent">✓ Every file here is as the house wants it.</p>
          ) : (
            <ul className="grid gap-0.5">
              {Object.entries(check.counts).map(([words, count]) => (
                <li key={words} className="flex justify-between gap-2">
                  <span>{words}</span>
                  <span className="figure">{count}</span>
                </li>
              ))}
            </ul>
          )}
          {broken.length > 0 && (
            <>
              <button
                type="button"
                className="press press-main mt-2 w-full justify-center"
                disabled={mine.length === 0 || carry.isPending}
                onClick={() => carry.mutate(mine)}
              >
                Apply to {plural(mine.length, "file")}
              </button>
              <button type="button" className="mt-1.5 text-primary" onClick={() => onTick(new Set(broken))}>
                Tick those that break it
              </button>
            </>
          )}
        </>
      )}
      <h2 className="margin-heading">By hand</h2>
      <div className="grid gap-1.5">
        <label className="flex items-center justify-between gap-2">
          A picture as
          <select aria-label="Role" className={FIELD} value={role} onChange={(event) => setRole(event.target.value)}>
            {ROLES.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
        <label className={`press justify-center ${ids.length === 0 || ids.length > 500 ? "opacity-45" : ""}`}>
          Put into {meantWords(ids.length, ticked)}
          <input
            type="file"
            accept="image/*"
            className="sr-only"
            aria-label="A picture to put in"
            disabled={ids.length === 0 || ids.length > 500}
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) setChosen(file);
              event.target.value = "";
            }}
          />
        </label>
        {chosen && (
          <CropView
            file={chosen}
            onLeave={() => setChosen(null)}
            onUse={(made) => {
              embed.mutate(made);
              setChosen(null);
            }}
          />
        )}
        <button
          type="button"
          className="press justify-center"
          disabled={!rows.some((row) => row.pictures.length > 0)}
          onClick={() => takeOut.mutate(rows.filter((row) => row.pictures.length > 0).map((row) => row.id))}
        >
          Take pictures out of {meantWords(ids.length, ticked)}
        </button>
      </div>
      {(declare.error ?? carry.error ?? embed.error ?? takeOut.error) && (
        <div className="mt-2">
          <Trouble error={declare.error ?? carry.error ?? embed.error ?? takeOut.error} />
        </div>
      )}
      <p className="quiet mt-2 text-[12px]">Pictures are written at once, as a step that can be taken back.</p>
    </div>
  );
}
