import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { answer, api, type CopySet, type SoundCopy } from "../api/client";
import { duplicatesQuery } from "../api/filesQueries";
import { jobsQuery } from "../api/queries";
import { HearButton } from "../collection/HearButton";
import { Desk } from "../frame/Desk";
import { plural, shortClock } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { DifferencePicture } from "./DifferencePicture";
import { HeldFiles } from "./HeldFiles";

const KINDS: [CopySet["kind"], string, string][] = [
  ["same sound", "The same samples", "bit for bit the same sound; one is enough"],
  ["same recording", "The same recording", "at another rate, level, coding, offset or speed"],
  ["another edit", "Other edits", "not the same: what differs is shown, and nothing is proposed"],
  ["another recording", "Other recordings of a title", "another take, a live version: not the same"],
];
const BUSY = new Set(["running", "waiting"]);

/** What the collection holds more than once, the copy to keep first. */
export function DuplicatesPage() {
  const { data, error } = useQuery(duplicatesQuery);
  const { data: jobs = [] } = useQuery(jobsQuery);
  const [ticked, setTicked] = useState<ReadonlySet<number>>(new Set());
  const listen = useMutation({ mutationFn: () => answer(api.POST("/api/v1/survey/analyse")) });
  const compare = useMutation({ mutationFn: () => answer(api.POST("/api/v1/duplicates/compare")) });
  const runs = (kind: string) => jobs.some((job) => job.kind === kind && BUSY.has(job.state));
  const tick = (ids: number[], on: boolean) =>
    setTicked(new Set(on ? [...ticked, ...ids] : [...ticked].filter((id) => !ids.includes(id))));
  const proposed = (data?.sets ?? [])
    .flatMap((one) => one.copies)
    .flatMap((one) => (one.proposed ? (one.file_id ?? []) : []));
  const chosen = (data?.sets ?? [])
    .flatMap((one) => one.copies)
    .filter((one) => one.file_id !== null && ticked.has(one.file_id));
  const trouble = error ?? listen.error ?? compare.error;
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Duplicates</h1>
          <span className="quiet whitespace-nowrap">{data && `${plural(data.heard, "sound")} heard`}</span>
          {data && (
            <button
              type="button"
              className={`press ${data.unheard === 0 && data.heard > 1 ? "press-main" : ""}`}
              disabled={runs("compare sounds") || compare.isPending || data.heard < 2}
              onClick={() => compare.mutate()}
            >
              {runs("compare sounds") ? "Being compared" : "Compare all"}
            </button>
          )}
        </>
      }
      margin={
        <>
          {data && data.unheard > 0 && (
            <>
              <h2 className="margin-heading">Not heard yet</h2>
              <p>{plural(data.unheard, "file")} can be compared only once listened to.</p>
              <button
                type="button"
                className="press mt-1 w-full justify-center"
                disabled={runs("listen to files") || listen.isPending}
                onClick={() => listen.mutate()}
              >
                {runs("listen to files") ? "Being listened to; see the status bar" : "Listen to them"}
              </button>
            </>
          )}
          {chosen.length > 0 ? (
            <Aside key={chosen.length} chosen={chosen} onDone={() => setTicked(new Set())} />
          ) : (
            proposed.length > 0 && (
              <>
                <h2 className="margin-heading">Proposed</h2>
                <p>Keep the first of each, set {plural(proposed.length, "other")} aside.</p>
                <button type="button" className="press mt-1 w-full justify-center" onClick={() => tick(proposed, true)}>
                  Tick all of these
                </button>
              </>
            )
          )}
          <HeldFiles />
        </>
      }
    >
      {trouble && (
        <div className="px-5 pt-3">
          <Trouble error={trouble} />
        </div>
      )}
      {data?.heard === 0 && (
        <p className="p-8">
          Sounds are compared by what they sound like, not by their names. Listen to the files first; sealed tracks are
          heard with them.
        </p>
      )}
      {data && data.heard > 0 && data.sets.length === 0 && (
        <p className="p-8">
          {data.compared > 0 ? (
            <span className="text-accent">✓ Nothing is here twice.</span>
          ) : (
            "Nothing is the same bit for bit. Compare all sounds, to find those that are the same otherwise."
          )}
        </p>
      )}
      {data && data.releases.length > 0 && (
        <section className="px-5 pt-4">
          <h2 className="text-base">Releases held twice</h2>
          <ul>
            {data.releases.map((one) => (
              <li key={`${one.first}|${one.second}`} className="rule-b py-1.5">
                {one.first} <span className="quiet">and</span> {one.second}
                <span className="quiet block text-[12px]">
                  {one.tracks} of {one.of} tracks are the same recordings; {one.words}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {KINDS.map(([kind, label, words]) => {
        const held = data?.sets.filter((one) => one.kind === kind) ?? [];
        if (held.length === 0) return null;
        return (
          <section key={kind} className="px-5 pt-4" aria-label={label}>
            <h2 className="text-base">
              {label}{" "}
              <span className="quiet font-sans text-[13px] font-normal">
                {words}
                {(data?.counts[kind] ?? 0) > held.length && `; the first ${held.length} of ${data?.counts[kind]}`}
              </span>
            </h2>
            {held.map((one) => (
              <Copies key={one.key} set={one} ticked={ticked} onTick={tick} />
            ))}
          </section>
        );
      })}
    </Desk>
  );
}

function Copies({
  set,
  ticked,
  onTick,
}: {
  set: CopySet;
  ticked: ReadonlySet<number>;
  onTick: (ids: number[], on: boolean) => void;
}) {
  const isSame = set.kind === "same sound" || set.kind === "same recording";
  return (
    <article className="rule-b py-2">
      <table className="w-full table-fixed text-[13px]">
        <tbody>
          {set.copies.map((one, at) => (
            <tr key={one.key} className="align-top">
              <td className="w-7 py-0.5">
                {one.file_id !== null && (
                  <input
                    type="checkbox"
                    aria-label={`Tick ${one.name}`}
                    checked={ticked.has(one.file_id)}
                    onChange={(event) => onTick([one.file_id ?? 0], event.target.checked)}
                  />
                )}
              </td>
              <td className="w-7 py-0.5">
                <HearButton sound={one.listen} name={one.name} />
              </td>
              <td className="py-0.5 pr-3">
                <Where one={one} />
                {(one.title || one.artist) && (
                  <span className="quiet block text-[12px]">{[one.title, one.artist].filter(Boolean).join(", ")}</span>
                )}
              </td>
              <td className="figure w-14 py-0.5">{shortClock(one.seconds)}</td>
              <td className="w-44 py-0.5 pr-3">{one.what}</td>
              <td className="w-60 py-0.5">
                {isSame && at === 0 ? (
                  <span className="font-medium text-accent">✓ keep</span>
                ) : (
                  one.reasons.map((words) => (
                    <span key={words} className="quiet block text-[12px]">
                      {words}
                    </span>
                  ))
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!isSame && <p className="quiet mt-1 pl-14 text-[12px]">{set.words}</p>}
      {set.swapped && (
        <p className="mt-1 pl-14 text-[12px] text-error">
          ! left of one is right of another: look which of them is as it should be
        </p>
      )}
      {set.difference && !isSame && (
        <div className="mt-2 pl-14">
          <DifferencePicture difference={set.difference} swapped={set.swapped} />
        </div>
      )}
    </article>
  );
}

function Where({ one }: { one: SoundCopy }) {
  const to = one.docket_id !== null ? `/dockets/${one.docket_id}/seal` : `/files/sheet?bundle=${one.bundle_id}`;
  return (
    <Link className="break-words text-primary hover:underline" to={to}>
      {one.name}
    </Link>
  );
}

/** What is ticked, seen before it is moved, with a reason. */
function Aside({ chosen, onDone }: { chosen: SoundCopy[]; onDone: () => void }) {
  const [reason, setReason] = useState("a better copy is kept");
  const move = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/held-files", {
          body: { file_ids: chosen.flatMap((one) => one.file_id ?? []), reason, days: 90 },
        }),
      ),
    onSuccess: onDone,
  });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        move.mutate();
      }}
    >
      <h2 className="margin-heading">Set {plural(chosen.length, "file")} aside</h2>
      <ul className="max-h-40 overflow-auto text-[12px]">
        {chosen.map((one) => (
          <li key={one.key} className="break-words">
            {one.name}
          </li>
        ))}
      </ul>
      <label className="mt-2 block">
        <span className="quiet">Why</span>
        <input
          className="field w-full"
          required
          maxLength={300}
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
      </label>
      <button className="press press-main mt-2 w-full justify-center" disabled={move.isPending}>
        Set aside for 90 days
      </button>
      <p className="quiet mt-1 text-[12px]">
        They go into the holding folder and can be brought back until then, byte for byte.
      </p>
      {move.error && <Trouble error={move.error} />}
    </form>
  );
}
