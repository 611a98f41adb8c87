import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";

import type { Disc, DiscRead, DiscTrack, Docket, Drive, Side } from "../api/client";
import { asItCame } from "../docket/sideSound";
import { chosenTake, sidesOf, useDocket } from "../docket/useDocket";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { player } from "../player/player";
import { percent, plural, timeLeft } from "../words/figures";
import { sentence, Trouble, TroubleText } from "../words/Trouble";
import { DiscMargin } from "./DiscMargin";
import { DiscStrip } from "./DiscStrip";
import { DriveRows } from "./DriveRows";
import { TrackTable } from "./TrackTable";
import { type DiscDoing, useDisc, useDiscDoing } from "./useDisc";

const SAMPLES_PER_FRAME = 588;

/** At the disc drive: put in, read, look what agreed, wipe, read again what did not. */
export function DiscStage() {
  const docket = useDocket();
  const [params, setParams] = useSearchParams();
  const sides = docket.carriers.filter((one) => one.format === "CD").flatMap((one) => one.sides);
  const side = sides.find((one) => one.id === Number(params.get("side"))) ?? sides[0];
  if (!side) return <p className="p-5">This docket has no compact disc.</p>;
  return (
    <OneDisc key={side.id} docket={docket} side={side} sides={sides} onSide={(id) => setParams({ side: String(id) })} />
  );
}

function OneDisc({
  docket,
  side,
  sides,
  onSide,
}: {
  docket: Docket;
  side: Side;
  sides: Side[];
  onSide: (id: number) => void;
}) {
  const { disc, drives, strip, error } = useDisc(side.id);
  const doing = useDiscDoing(side.id);
  const [picked, setPicked] = useState<string | null>(null);
  const holding = drives?.drives.find((one) => one.disc !== null);
  const chosen = picked ?? holding?.id ?? drives?.drives[0]?.id ?? "";
  const drive = drives?.drives.find((one) => one.id === chosen);
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const tracks = useMemo(() => (disc && disc.tracks.length > 0 ? disc.tracks : unread(drive)), [disc, drive]);
  const starts = useMemo(() => tracks.map((one) => ({ number: one.number, frame: one.first_frame })), [tracks]);
  const take = chosenTake(sidesOf(docket).find((one) => one.id === side.id) ?? side);
  const hear = (track: DiscTrack) =>
    take &&
    player.play(
      asItCame(take, `${docket.shelfmark}, track ${track.number}`),
      track.first_frame * SAMPLES_PER_FRAME,
      track.end_frame * SAMPLES_PER_FRAME,
    );
  const wanted = sides.length > 1 ? `${docket.shelfmark} ${side.name.toLowerCase()}` : docket.shelfmark;
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Disc</h1>
          {sides.length > 1 ? (
            <span className="flex gap-2">
              {sides.map((one) => (
                <button
                  key={one.id}
                  type="button"
                  className={`press !py-0.5 ${one.id === side.id ? "press-main" : ""}`}
                  aria-pressed={one.id === side.id}
                  onClick={() => onSide(one.id)}
                >
                  {one.name}
                </button>
              ))}
            </span>
          ) : (
            <span className="quiet">
              Each track is read twice and compared; what differs is read again, and others are asked.
            </span>
          )}
        </>
      }
      margin={disc ? <DiscMargin disc={disc} drive={drive} doing={doing} /> : undefined}
    >
      {(error ?? doing.error) !== null && (
        <div className="px-5 pt-3">
          <Trouble error={error ?? doing.error} />
        </div>
      )}
      {drives && <DriveRows drives={drives} doing={doing} chosen={chosen} onChoose={setPicked} wanted={wanted} />}
      {disc && drive && (
        <CommandRow disc={disc} tracks={tracks} drive={drive} doing={doing} marked={marked} onMark={setMarked} />
      )}
      {strip && strip.frames > 0 && <DiscStrip strip={strip} starts={starts} />}
      {tracks.length > 0 && (
        <TrackTable tracks={tracks} marked={marked} onMark={setMarked} onHear={take ? hear : null} />
      )}
      {disc && tracks.length === 0 && <Beginning />}
    </Desk>
  );
}

/** The tracks of a disc that was never read, as its table of contents says. */
function unread(drive: Drive | undefined): DiscTrack[] {
  const toc = drive?.toc;
  const first = toc?.tracks[0];
  if (!toc || !first) return [];
  const bare = { title: "", read: null, read_id: null, verdict: null, advice: "", phase: null };
  const audio = toc.tracks.map((one, index) => ({
    ...bare,
    number: one.number,
    first_frame: one.start,
    end_frame: toc.tracks[index + 1]?.start ?? toc.lead_out,
  }));
  const opening = { ...bare, number: 0, title: "Hidden opening, perhaps", first_frame: 0, end_frame: first.start };
  return first.start > 0 ? [opening, ...audio] : audio;
}

function Beginning() {
  const steps: [string, string][] = [
    ["Put the disc in", "choose it above; with a simulated drive that is your hand"],
    ["Read it", "every track twice, its hidden opening too, if it has one"],
    [
      "Look at the verdicts",
      "what others have read the same is proven; a damaged track is read again, alone, after wiping",
    ],
  ];
  return (
    <ol className="grid max-w-2xl gap-2 px-5 py-4">
      {steps.map(([name, words], index) => (
        <li key={name} className="grid grid-cols-[24px_1fr]">
          <span className="figure quiet">{index + 1}</span>
          <span>
            <b className="font-medium">{name}:</b> <span className="quiet">{words}.</span>
          </span>
        </li>
      ))}
    </ol>
  );
}

interface RowProps {
  disc: Disc;
  tracks: readonly DiscTrack[];
  drive: Drive;
  doing: DiscDoing;
  marked: ReadonlySet<number>;
  onMark: (numbers: ReadonlySet<number>) => void;
}

/** What can be read now, and how far a reading is. */
function CommandRow({ disc, tracks, drive, doing, marked, onMark }: RowProps) {
  const [twice, setTwice] = useState(true);
  const [slowly, setSlowly] = useState(false);
  const [eject, setEject] = useState(true);
  const reading = disc.reads.find((one) => one.state === "reading");
  const last = disc.reads.at(-1);
  const toDo = tracks
    .filter((one) => one.verdict !== "proven" && one.verdict !== "proven but its edge")
    .map((one) => one.number);
  const some = [...marked].sort((one, other) => one - other);
  const ready = !!drive.disc && !drive.busy && !reading;
  const read = (numbers: number[] | null) =>
    doing.read.mutate({ drive_id: drive.id, numbers, twice, slowly, eject }, { onSuccess: () => onMark(new Set()) });
  const first = disc.grade === null;
  useCommands([
    { label: "Read the disc", keys: ["R"], perform: () => read(null), disabled: !ready },
    { label: "Read the marked tracks", keys: ["M"], perform: () => read(some), disabled: !ready || some.length === 0 },
    {
      label: "Mark the tracks that are not proven",
      keys: ["U"],
      perform: () => onMark(new Set(toDo)),
      disabled: toDo.length === 0,
    },
  ]);
  if (reading) return <Progress disc={disc} reading={reading} doing={doing} />;
  return (
    <section aria-label="Reading" className="rule-b flex flex-wrap items-center gap-3 px-5 py-2.5">
      {some.length === 0 ? (
        <button
          type="button"
          className={`press ${disc.grade?.name === "full proof" ? "" : "press-main"}`}
          disabled={!ready}
          onClick={() => read(null)}
        >
          {first ? "Read it" : "Read it all again"}
        </button>
      ) : (
        <button type="button" className="press press-main" disabled={!ready} onClick={() => read(some)}>
          Read {some.length === 1 ? `track ${some[0]}` : `${some.length} tracks`} {first ? "only" : "again"}
        </button>
      )}
      {!first && toDo.length > 0 && toDo.length < tracks.length && some.length === 0 && (
        <button type="button" className="press" onClick={() => onMark(new Set(toDo))}>
          Mark {plural(toDo.length, "track")} not proven
        </button>
      )}
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="accent-primary"
          checked={twice}
          onChange={(event) => setTwice(event.target.checked)}
        />{" "}
        read twice
      </label>
      <label className="flex items-center gap-1.5" title="At four times playing speed, which a scratched disc may want">
        <input
          type="checkbox"
          className="accent-primary"
          checked={slowly}
          onChange={(event) => setSlowly(event.target.checked)}
        />{" "}
        slowly
      </label>
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="accent-primary"
          checked={eject}
          onChange={(event) => setEject(event.target.checked)}
        />{" "}
        eject when read
      </label>
      {last?.state === "failed" && last.refusal && (
        <div className="w-full">
          <TroubleText {...last.refusal} />
        </div>
      )}
      {last?.state === "cancelled" && (
        <span className="text-warning">The last reading was cancelled; nothing of it is kept.</span>
      )}
      <span className="quiet">
        {!drive.disc
          ? `${drive.name} is empty: put the disc in.`
          : drive.busy
            ? `${drive.name} is reading another disc.`
            : twice
              ? ""
              : "Once is quick, and unproven."}
      </span>
    </section>
  );
}

function Progress({ disc, reading, doing }: { disc: Disc; reading: DiscRead; doing: DiscDoing }) {
  const { job } = reading;
  const phases = disc.tracks.map((one) => one.phase);
  const done = phases.filter((one) => one === "proven").length;
  return (
    <section aria-label="Reading" className="rule-b grid gap-1.5 px-5 py-2.5">
      <div className="flex items-center gap-3">
        <span role="status" className="font-serif text-[17px]">
          {reading.ejected
            ? "Read. The next disc can be put in; the last track is being encoded"
            : job?.state === "waiting"
              ? "Waiting for its turn"
              : sentence(job?.message || "Reading")}
        </span>
        <span className="quiet ml-auto">{timeLeft(job?.time_left_s)}</span>
        {job && (
          <button type="button" className="press !py-0.5" onClick={() => doing.cancel.mutate(job.id)}>
            Cancel
          </button>
        )}
      </div>
      <div className="grid grid-cols-[repeat(3,auto_1fr_44px)] items-center gap-x-2 text-[12.5px]">
        <Bar name="Track" share={reading.ejected ? 1 : reading.track_share} />
        <Bar name="Disc" share={job?.progress ?? 0} />
        <Bar name="Encoded and proven" share={done / reading.numbers.length} />
      </div>
      {reading.rereads > 0 && (
        <p className="text-[12.5px] text-warning">
          {plural(reading.rereads, "frame")} differed between the two readings and{" "}
          {reading.rereads === 1 ? "is" : "are"} read again.
        </p>
      )}
    </section>
  );
}

function Bar({ name, share }: { name: string; share: number }) {
  return (
    <>
      <span className="quiet">{name}</span>
      <progress className="h-2 w-full accent-primary" max={1} value={share} aria-label={name} />
      <span className="figure">{percent(share)}</span>
    </>
  );
}
