import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { address, bytes } from "../api/bytes";
import { answer, api } from "../api/client";
import { artCheckQuery, bundlesQuery, foldersQuery } from "../api/filesQueries";
import { Desk } from "../frame/Desk";
import { moment, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { Steps } from "./Steps";

/** The house's rule for pictures over everything that was brought in. */
function HouseRule() {
  const { data: check } = useQuery(artCheckQuery(null));
  const carry = useMutation({
    mutationFn: (ids: number[]) => answer(api.POST("/api/v1/art-rule/apply", { body: { file_ids: ids } })),
  });
  if (!check) return null;
  const broken = Object.keys(check.files).map(Number);
  return (
    <>
      <h2 className="margin-heading">House rule for pictures</h2>
      {broken.length === 0 ? (
        <p className="text-accent">✓ No file breaks it.</p>
      ) : (
        <>
          <ul className="grid gap-0.5">
            {Object.entries(check.counts).map(([words, count]) => (
              <li key={words} className="flex justify-between gap-2">
                <span>{words}</span>
                <span className="figure">{count}</span>
              </li>
            ))}
          </ul>
          <button
            type="button"
            className="press mt-2 w-full justify-center"
            disabled={carry.isPending}
            onClick={() => carry.mutate(broken)}
          >
            Apply to {plural(broken.length, "file")}
          </button>
          <p className="quiet mt-1 text-[12px]">
            It is declared with the other{" "}
            <Link className="text-primary" to="/collection/rules">
              house rules
            </Link>
            , or on the sheet.
          </p>
        </>
      )}
      {carry.error && <Trouble error={carry.error} />}
    </>
  );
}

/** Folders of files that others made: brought in, opened as a sheet, filed back. */
export function FilesPage() {
  const cache = useQueryClient();
  const { data: bundles, error } = useQuery(bundlesQuery);
  const { data: folders } = useQuery(foldersQuery);
  const [ticked, setTicked] = useState<ReadonlySet<number>>(new Set());
  const [over, setOver] = useState(false);
  const again = () =>
    void Promise.all([bundlesQuery, foldersQuery].map((one) => cache.invalidateQueries({ queryKey: one.queryKey })));
  const bring = useMutation({
    mutationFn: (body: { folder: string; in_place: boolean }) => answer(api.POST("/api/v1/bundles", { body })),
    onSuccess: again,
  });
  const back = useMutation({
    mutationFn: (id: number) =>
      answer(api.POST("/api/v1/bundles/{bundle_id}/file-back", { params: { path: { bundle_id: id } } })),
    onSuccess: again,
  });
  const look = useMutation({
    mutationFn: (id: number) =>
      answer(api.POST("/api/v1/bundles/{bundle_id}/rescan", { params: { path: { bundle_id: id } } })),
    onSuccess: again,
  });
  const zip = useMutation({
    mutationFn: async (file: File) => {
      await bytes(address("/api/v1/bundles/zip", { name: file.name }), { method: "POST", body: file });
    },
    onSuccess: again,
  });
  const open = [...ticked].map((one) => `bundle=${one}`).join("&");
  const trouble = error ?? bring.error ?? back.error ?? look.error ?? zip.error;
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Files</h1>
          <span className="quiet">folders that somebody tagged, to be put right</span>
          {ticked.size > 1 && (
            <Link className="press press-main" to={`/files/sheet?${open}`}>
              Open {ticked.size} as one sheet
            </Link>
          )}
        </>
      }
      margin={
        <div>
          <HouseRule />
          <h2 className="margin-heading">Steps written</h2>
          <Steps />
        </div>
      }
    >
      <div
        className={`min-h-full px-5 py-3 ${over ? "outline-2 -outline-offset-8 outline-dashed outline-primary" : ""}`}
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          event.preventDefault();
          setOver(false);
          const file = event.dataTransfer.files[0];
          if (file) zip.mutate(file);
        }}
      >
        {trouble && <Trouble error={trouble} />}
        {bundles && bundles.length > 0 && (
          <table className="mb-6 w-full border-collapse">
            <thead>
              <tr className="quiet text-left text-[13px]">
                <th className="w-8" />
                <th className="py-1 font-normal">Brought in</th>
                <th className="font-normal">Files</th>
                <th className="font-normal">State</th>
                <th className="font-normal">When</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {bundles.map((one) => (
                <tr key={one.id} className="rule-b align-top">
                  <td className="py-2">
                    {one.state === "ready" && (
                      <input
                        type="checkbox"
                        aria-label={`Tick ${one.name}`}
                        checked={ticked.has(one.id)}
                        onChange={(event) =>
                          setTicked(
                            new Set(
                              event.target.checked ? [...ticked, one.id] : [...ticked].filter((id) => id !== one.id),
                            ),
                          )
                        }
                      />
                    )}
                  </td>
                  <td className="py-2 pr-3">
                    {one.state === "ready" ? (
                      <Link className="font-serif text-[16px] text-primary" to={`/files/sheet?bundle=${one.id}`}>
                        {one.name}
                      </Link>
                    ) : (
                      <span className="font-serif text-[16px]">{one.name}</span>
                    )}
                    <span className="quiet block text-[12px]">
                      {one.in_place ? "edited where they lie" : "copies in the store"}
                    </span>
                    {one.told.map((line) => (
                      <span key={line} className="block text-[12px] text-warning">
                        {line}
                      </span>
                    ))}
                  </td>
                  <td className="py-2 pr-3">
                    <span className="figure">{one.audio}</span> sound
                    {one.unreadable > 0 && (
                      <span className="block text-[12px] text-error">! {one.unreadable} cannot be read</span>
                    )}
                    <span className="quiet block text-[12px]">{one.files - one.audio - one.unreadable} others</span>
                  </td>
                  <td className="py-2 pr-3">
                    {one.state === "coming in" ? (
                      <span className="text-warning">coming in</span>
                    ) : one.state === "failed" ? (
                      <span className="text-error">! not brought in</span>
                    ) : one.pending > 0 ? (
                      <span className="text-error">✎ {one.pending} changed, not written</span>
                    ) : (
                      <span className="text-accent">✓ nothing unwritten</span>
                    )}
                  </td>
                  <td className="quiet py-2 pr-3">{moment(one.made_at)}</td>
                  <td className="py-2 text-right">
                    {one.state === "ready" && one.in_place && (
                      <button
                        type="button"
                        className="press"
                        title="Somebody else may have altered them"
                        onClick={() => look.mutate(one.id)}
                      >
                        Look again
                      </button>
                    )}
                    {one.state === "ready" && one.can_be_filed_back && one.altered > 0 && (
                      <button
                        type="button"
                        className="press"
                        title="Puts what was altered where it came from; what lay there is kept"
                        onClick={() => back.mutate(one.id)}
                      >
                        File {one.altered} back
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <h2 className="text-base">Bring in</h2>
        <p className="quiet mb-2 max-w-prose">
          A copy is safe to try things on and is filed back when it is right. Editing in place saves the room and the
          filing back; every step can be taken back either way.
        </p>
        <label className="press mb-3">
          A ZIP archive: choose it, or drop it here
          <input
            type="file"
            accept=".zip"
            className="sr-only"
            aria-label="A ZIP archive"
            onChange={(event) => {
              const file = event.target.files?.[0];
              if (file) zip.mutate(file);
              event.target.value = "";
            }}
          />
        </label>
        {folders?.length === 0 && (
          <p>No folder with files lies below the folder that was set for them (INKWELL_FILES_ROOT).</p>
        )}
        <ul>
          {(folders ?? []).map((one) => (
            <li key={one.name} className="rule-b flex items-center gap-3 py-1.5">
              <span
                className="min-w-0 flex-1 truncate"
                style={{ paddingLeft: `${(one.name.split("/").length - 1) * 18}px` }}
              >
                {one.name.split("/").at(-1)}
              </span>
              <span className="quiet w-24">{plural(one.files, "file")}</span>
              {one.brought_in && <span className="text-accent">✓ in</span>}
              <button
                type="button"
                className="press !py-0.5"
                aria-label={`Copy ${one.name} in`}
                disabled={bring.isPending}
                onClick={() => bring.mutate({ folder: one.name, in_place: false })}
              >
                Copy in
              </button>
              <button
                type="button"
                className="press !py-0.5"
                aria-label={`Edit ${one.name} in place`}
                disabled={bring.isPending}
                onClick={() => bring.mutate({ folder: one.name, in_place: true })}
              >
                Edit in place
              </button>
            </li>
          ))}
        </ul>
      </div>
    </Desk>
  );
}
