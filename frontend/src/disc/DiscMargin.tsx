import { clsx } from "clsx";
import { type FormEvent, useState } from "react";

import type { Disc, Drive } from "../api/client";
import { boundsInWords, numberIn } from "../ui/numbers";
import { moment, percent } from "../words/figures";
import { sentence } from "../words/Trouble";
import { offsetWords, signed } from "./DriveRows";
import { frameClock } from "./stripLayout";
import type { DiscDoing } from "./useDisc";

const OFFSETS = { min: -2939, max: 2939, whole: true };

const GAPS: Record<Disc["layout"], string> = {
  kept: "with the track before",
  "own track": "with their own track",
  "left out": "left out",
  "one file": "kept: one file for the disc",
};

/** What the readings are worth, what lies between the tracks, and where that goes. */
export function DiscMargin({ disc, drive, doing }: { disc: Disc; drive: Drive | undefined; doing: DiscDoing }) {
  return (
    <>
      {disc.grade && (
        <>
          <h2 className="margin-heading">What it is worth</h2>
          <p
            className={clsx(
              "font-medium",
              disc.grade.name === "full proof"
                ? "text-accent"
                : disc.grade.name === "good evidence"
                  ? "text-warning"
                  : "text-error",
            )}
          >
            {sentence(disc.grade.name)}
          </p>
          <ul className="mt-1 grid gap-1">
            {disc.grade.reasons.map((reason) => (
              <li key={reason}>{sentence(reason)}</li>
            ))}
          </ul>
        </>
      )}
      {disc.opening && (
        <>
          <h2 className="margin-heading">Hidden opening</h2>
          <p className={disc.opening.outcome === "refused" ? "text-error" : ""}>{disc.opening.words}</p>
        </>
      )}
      {disc.toc && (
        <>
          <h2 className="margin-heading">Gaps</h2>
          <GapWords disc={disc} />
          {disc.has_take && (
            <fieldset className="mt-2">
              <legend className="quiet">In the files they go</legend>
              {(Object.keys(GAPS) as Disc["layout"][]).map((one) => (
                <label key={one} className="flex items-baseline gap-2 py-0.5">
                  <input
                    type="radio"
                    name="gaps"
                    className="accent-primary"
                    checked={disc.layout === one}
                    onChange={() => doing.chooseGaps.mutate(one)}
                  />{" "}
                  {GAPS[one]}
                </label>
              ))}
              <p className={disc.rebuilds ? "quiet" : "text-warning"}>
                {disc.rebuilds
                  ? "Files and cue sheet make the disc again, sample for sample."
                  : "The disc cannot be made again: sound in its gaps is left out."}
              </p>
            </fieldset>
          )}
        </>
      )}
      {disc.reads.length > 0 && <Readings disc={disc} doing={doing} />}
      {drive && !drive.is_image && <OffsetForm key={drive.id} drive={drive} doing={doing} />}
      {disc.digest && (
        <>
          <h2 className="margin-heading">Disc</h2>
          {disc.toc?.barcode && (
            <p>
              Barcode <span className="figure">{disc.toc.barcode}</span>
            </p>
          )}
          <p className="figure quiet break-all text-[11px]" title="SHA-256 of its table of contents">
            {disc.digest}
          </p>
        </>
      )}
    </>
  );
}

function GapWords({ disc }: { disc: Disc }) {
  const loud = disc.gaps.filter((one) => one.silent_share < 1);
  if (disc.gaps.length === 0) return <p className="quiet">None between its tracks.</p>;
  return (
    <>
      <p>
        {disc.gaps.length} between its tracks,{" "}
        {loud.length === 0 ? "all digital silence." : `${disc.gaps.length - loud.length} of them digital silence.`}
      </p>
      {loud.map((one) => (
        <p key={one.number} className="text-warning">
          Before track {one.number}: sound; {percent(one.silent_share)} of{" "}
          <span className="figure">{frameClock(one.frames)}</span> is silent.
        </p>
      ))}
    </>
  );
}

function Readings({ disc, doing }: { disc: Disc; doing: DiscDoing }) {
  const path = `/api/v1/sides/${disc.side_id}/disc`;
  const last = disc.reads.filter((one) => one.state === "read").at(-1);
  return (
    <>
      <h2 className="margin-heading">Readings</h2>
      <ul className="grid gap-1">
        {disc.reads.map((one) => (
          <li key={one.id}>
            {moment(one.began_at)}, {one.drive}:{" "}
            {one.numbers.length >= disc.tracks.length ? "all" : `track ${one.numbers.join(", ")}`}
            {one.twice ? "" : ", once"}, {one.state}
            {one.refusal && (
              <span className="block text-error">
                {sentence(one.refusal.what)} {one.refusal.remedy && sentence(one.refusal.remedy)}
              </span>
            )}
            {one.register_trouble && (
              <span className="block text-warning">No witnesses: {sentence(one.register_trouble)}</span>
            )}
          </li>
        ))}
      </ul>
      {last && (
        <p className="mt-2 flex flex-wrap items-center gap-3">
          <a className="text-primary underline" target="_blank" rel="noreferrer" href={`${path}/reading.log`}>
            Reading log
          </a>
          <a className="text-primary underline" target="_blank" rel="noreferrer" href={`${path}/reading.json`}>
            as JSON
          </a>
        </p>
      )}
      {last && !last.told && (
        <button type="button" className="press mt-2" onClick={() => doing.tell.mutate(last.id)}>
          Submit to the register
        </button>
      )}
      {last?.told && <p className="mt-2 text-accent">The witness register was told.</p>}
    </>
  );
}

function OffsetForm({ drive, doing }: { drive: Drive; doing: DiscDoing }) {
  const [typed, setTyped] = useState("");
  const offset = numberIn(typed, OFFSETS);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (offset !== null)
      doing.sayOffset.mutate({ drive: drive.id, offset_samples: offset }, { onSuccess: () => setTyped("") });
  };
  return (
    <form onSubmit={submit}>
      <h2 className="margin-heading">Offset of {drive.name}</h2>
      <p>
        {drive.offset_samples === null ? (
          "Not known yet."
        ) : (
          <>
            <span className="figure">{signed(drive.offset_samples)}</span> samples, {offsetWords(drive)}.
          </>
        )}
      </p>
      <span className="mt-1 flex gap-2">
        <input
          aria-label="Offset in samples"
          className="figure w-24 border border-base-300 bg-base-100 px-2 py-1"
          placeholder="+47"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
        />
        <button type="submit" className="press" disabled={offset === null}>
          Set
        </button>
      </span>
      {typed && offset === null && <p className="text-error">{boundsInWords(OFFSETS)}.</p>}
    </form>
  );
}
