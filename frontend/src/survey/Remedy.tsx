import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Proposed } from "../api/client";
import { remedyQuery } from "../api/filesQueries";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

interface Props {
  check: string;
  ids: number[];
  total: number;
  hasRemedy: boolean;
  onDone: () => void;
}

/** What would put the chosen findings right, shown cell by cell, then written as one step. */
export function Remedy({ check, ids, total, hasRemedy, onDone }: Props) {
  const [shown, setShown] = useState(false);
  const preview = useQuery({ ...remedyQuery(check, ids), enabled: shown });
  const right = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/survey/fix", { body: ids.length ? { ids, check: "" } : { ids: [], check } })),
    onSuccess: onDone,
  });
  const count = ids.length || total;
  if (!hasRemedy)
    return (
      <>
        <h2 className="margin-heading">Remedy</h2>
        <p>These want your hand: open the files on the sheet, or dismiss what is no fault.</p>
      </>
    );
  const changes = preview.data?.changes ?? [];
  const nothing = !!preview.data && changes.length === 0 && preview.data.told.length === 0;
  return (
    <>
      <h2 className="margin-heading">Remedy</h2>
      {!shown && (
        <button type="button" className="press press-main w-full justify-center" onClick={() => setShown(true)}>
          Show for {ids.length ? plural(count, "finding") : `all ${count.toLocaleString("en-GB")}`}
        </button>
      )}
      {shown && preview.data && (
        <>
          {preview.data.told.map((line) => (
            <p key={line}>{line}</p>
          ))}
          {nothing && <p>None of these can be put right by itself.</p>}
          <ol aria-label="What would change" className="my-1 max-h-72 overflow-auto">
            {changes.map((one) => (
              <Change key={`${one.file_id} ${one.field}`} one={one} />
            ))}
          </ol>
          <button
            type="button"
            className="press press-main w-full justify-center"
            disabled={right.isPending || nothing}
            onClick={() => right.mutate()}
          >
            Put right
          </button>
          <p className="quiet mt-1 text-[12px]">Written as one step; it can be taken back, byte for byte.</p>
        </>
      )}
      {(preview.error ?? right.error) && <Trouble error={preview.error ?? right.error} />}
    </>
  );
}

const Change = ({ one }: { one: Proposed }) => (
  <li className="rule-b py-1">
    <span className="quiet block truncate text-[12px]" title={one.path}>
      {one.path.split("/").at(-1)} · {one.field.replaceAll("_", " ")}
    </span>
    <span className="break-words">
      {one.before && <s className="quiet">{one.before}</s>} → {one.after || "nothing"}
    </span>
  </li>
);
