import { clsx } from "clsx";
import { useQuery } from "@tanstack/react-query";
import { type DragEvent, Suspense, useState } from "react";
import { Outlet, useParams, useSearchParams } from "react-router";

import { docketQuery } from "../api/queries";
import { receive } from "../intake/uploads";
import { Trouble } from "../words/Trouble";
import { OthersHere } from "./OthersHere";

/** A docket: whatever is dropped anywhere on it goes where it belongs. */
export function DocketDesk() {
  const docketId = Number(useParams().docketId);
  const { data: docket, error } = useQuery(docketQuery(docketId));
  const [params] = useSearchParams();
  const [over, setOver] = useState(false);
  const [refusal, setRefusal] = useState<unknown>(null);
  const sideId = params.get("side");

  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    setRefusal(null);
    receive(docketId, sideId ? Number(sideId) : null, [...event.dataTransfer.files]).catch(setRefusal);
  };
  // What is on the page stays when it cannot be asked for again.
  if (!docket)
    return error ? (
      <div className="p-6">
        <Trouble error={error} />
      </div>
    ) : null;
  return (
    <div
      className="relative flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={onDrop}
    >
      {refusal !== null && (
        <div className="flex items-start gap-3 px-5 py-2">
          <div className="flex-1">
            <Trouble error={refusal} />
          </div>
          <button type="button" className="press" onClick={() => setRefusal(null)}>
            Dismiss
          </button>
        </div>
      )}
      <OthersHere docketId={docketId} />
      <div className="min-h-0 flex-1">
        <Suspense>
          <Outlet context={{ docketId }} />
        </Suspense>
      </div>
      {over && (
        <div
          className={clsx(
            "pointer-events-none absolute inset-2 grid place-items-center",
            "border-2 border-dashed border-primary bg-base-100/80",
          )}
        >
          <p className="font-serif text-xl">Let go: a recording becomes a take, a picture the front cover</p>
        </div>
      )}
    </div>
  );
}
