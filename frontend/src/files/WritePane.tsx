import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";

import { answer, api, type Row, type Schemas, type SheetField } from "../api/client";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { PATH, SILENCE } from "./rows";
import { Steps } from "./Steps";
import type { SheetState } from "./useSheet";

interface Props {
  changed: readonly Row[];
  fields: readonly SheetField[];
  bundles: number[];
  state: SheetState;
}

/** What Write would do, how tags are written where a format leaves a choice, and what was written before. */
export function WritePane({ changed, fields, bundles, state }: Props) {
  const cache = useQueryClient();
  const [id3, setId3] = useState<Schemas["Write"]["id3"]>("as it is");
  const [keep, setKeep] = useState(true);
  const counts = useMemo(() => {
    const found = new Map<string, number>();
    for (const row of changed) for (const name of Object.keys(row.pending)) found.set(name, (found.get(name) ?? 0) + 1);
    return [...found].sort((a, b) => b[1] - a[1]);
  }, [changed]);
  const hasId3 = changed.some((row) => ["MP3", "WAV", "AIFF"].includes(row.format));
  const write = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/sheet/write", { body: { bundle_ids: bundles, id3, keep_id3v1: keep } })),
    onSuccess: () => void cache.invalidateQueries({ queryKey: ["file steps"] }),
  });
  const giveUp = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/sheet/discard", { body: { file_ids: changed.map((row) => row.id) } })),
    onSuccess: () => void cache.invalidateQueries({ queryKey: ["sheet"] }),
  });
  const label = (name: string) =>
    name === PATH
      ? "moved or renamed"
      : name === SILENCE
        ? "silence taken off"
        : (fields.find((one) => one.name === name)?.label ?? name);
  return (
    <div>
      <h2 className="margin-heading">To be written</h2>
      {changed.length === 0 ? (
        <p>Nothing is changed.</p>
      ) : (
        <>
          <table className="w-full">
            <tbody>
              {counts.map(([name, count]) => (
                <tr key={name}>
                  <td>{label(name)}</td>
                  <td className="figure text-right">{count.toLocaleString("en-GB")}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {hasId3 && (
            <div className="mt-2 grid gap-1">
              <label className="flex items-center justify-between gap-2">
                ID3 tags as
                <select
                  aria-label="ID3 version"
                  className="border border-base-300 bg-base-100 px-1 py-0.5"
                  value={id3}
                  onChange={(event) => setId3(event.target.value as typeof id3)}
                >
                  <option value="as it is">each file has them</option>
                  <option value="2.4">2.4</option>
                  <option value="2.3">2.3, for older players</option>
                </select>
              </label>
              <label className="flex items-center gap-1.5">
                <input type="checkbox" checked={keep} onChange={(event) => setKeep(event.target.checked)} /> keep old
                ID3v1 tags, brought up to date
              </label>
            </div>
          )}
          <button
            type="button"
            className="press press-main mt-3 w-full justify-center"
            disabled={write.isPending || state.save.isPending}
            onClick={() => write.mutate()}
          >
            Write {plural(changed.length, "file")}
          </button>
          <button type="button" className="mt-2 text-primary" onClick={() => giveUp.mutate()}>
            Discard all changes
          </button>
          <p className="quiet mt-2 text-[12px]">
            The sound is compared before and after, and one press takes all of it back, byte for byte, also later.
          </p>
        </>
      )}
      {(write.error ?? giveUp.error) && (
        <div className="mt-2">
          <Trouble error={write.error ?? giveUp.error} />
        </div>
      )}
      <h2 className="margin-heading">Written</h2>
      <Steps most={20} />
    </div>
  );
}
