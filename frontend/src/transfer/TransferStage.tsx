import { clsx } from "clsx";
import { useQuery } from "@tanstack/react-query";

import type { Docket, LiveNews, RecordingView, Side, Transfer } from "../api/client";
import { recordingsQuery, transferQuery } from "../api/queries";
import { sidesOf, useDocket } from "../docket/useDocket";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { clock, level, lowerFirst, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { ConnectForm } from "./ConnectForm";
import { GrowingPage } from "./GrowingPage";
import { LeftRecordings } from "./LeftRecordings";
import { LevelMeter } from "./LevelMeter";
import { type LiveFeed, useFeed, useLive } from "./live";
import { levelWord, loudest } from "./meterLayout";
import { SidesTable } from "./SidesTable";
import { TransferMargin } from "./TransferMargin";
import { type TransferDoing, useTransfer } from "./useTransfer";

/** At the deck: connect, check the level, arm, let it run, turn over, stop. */
export function TransferStage() {
  const docket = useDocket();
  const { data: transfer, error } = useQuery(transferQuery(docket.id));
  const { data: recordings = [] } = useQuery(recordingsQuery(docket.id));
  const connected = transfer && transfer.state !== "ended" ? transfer : null;
  const doing = useTransfer(docket.id, connected);
  const feed = useFeed(connected?.key ?? null);
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Transfer</h1>
          {connected ? (
            <>
              <span>
                {connected.source.name},{" "}
                <span className="figure">
                  {connected.rate_hz / 1000} kHz/{connected.bits}
                </span>
              </span>
              <button type="button" className="press" onClick={() => doing.disconnect.mutate()}>
                Disconnect
              </button>
            </>
          ) : (
            <span className="quiet">
              Connect a deck, check the level on the loudest part, arm, and lower the stylus.
            </span>
          )}
        </>
      }
      margin={
        connected && feed ? (
          <TransferMargin docket={docket} transfer={connected} feed={feed} doing={doing} />
        ) : undefined
      }
    >
      <div className="flex h-full min-h-0 flex-col">
        {(error ?? doing.error) !== null && <Trouble error={error ?? doing.error} />}
        {transfer?.state === "ended" && transfer.notes.length > 0 && (
          <p role="alert" className="border-l-4 border-error bg-base-200 px-5 py-2">
            {transfer.notes[transfer.notes.length - 1]}
          </p>
        )}
        <LeftRecordings recordings={recordings.filter((one) => one.id !== connected?.recording?.id)} />
        {connected && feed ? (
          <AtWork docket={docket} transfer={connected} feed={feed} doing={doing} />
        ) : (
          <ConnectForm docket={docket} />
        )}
        <SidesTable docket={docket} transfer={connected} doing={doing} />
      </div>
    </Desk>
  );
}

function AtWork({
  docket,
  transfer,
  feed,
  doing,
}: {
  docket: Docket;
  transfer: Transfer;
  feed: LiveFeed;
  doing: TransferDoing;
}) {
  const live = useLive(feed);
  if (!live) return <p className="quiet px-5 py-3">Listening…</p>;
  const recording = transfer.recording;
  return (
    <>
      <CommandRow
        docket={docket}
        transfer={transfer}
        recordedSamples={live.recorded_samples}
        isAway={live.is_away}
        doing={doing}
      />
      <LevelMeter feed={feed} live={live} />
      {recording ? (
        <Growing
          docket={docket}
          transfer={transfer}
          recording={recording}
          peakDbtp={loudest(feed.windows.flatMap((one) => one.true_peak_dbtp))}
        />
      ) : (
        <Next docket={docket} transfer={transfer} live={live} />
      )}
    </>
  );
}

/** What would be sensible next, while nothing is recorded. */
function Next({ docket, transfer, live }: { docket: Docket; transfer: Transfer; live: LiveNews }) {
  const side = sidesOf(docket).find((one) => one.id === transfer.settings.side_id);
  const highest = loudest(live.hold.true_peak_dbtp);
  const clipped = live.hold.clipped_samples.some((count) => count > 0);
  const word = levelWord(highest, clipped ? 1 : 0);
  const steps: [string, string, boolean][] = [
    [
      "Level",
      word === "right"
        ? `the loudest part so far peaks at ${level(highest)}`
        : "lower the stylus on the loudest passage, press L, and L again when it has been heard",
      word === "right",
    ],
    ["Arm", "lift the stylus, press A; it starts by itself, with what was just before", transfer.state === "armed"],
    ["Lower the stylus", "it ends by itself in the run-out groove, and the take is read back and drawn", false],
  ];
  return (
    <section aria-label="What comes next" className="px-5 py-4">
      <ol className="grid max-w-2xl gap-2">
        {steps.map(([name, words, done], index) => (
          <li key={name} className="grid grid-cols-[24px_1fr]">
            <span className={`figure ${done ? "text-accent" : "quiet"}`}>{done ? "✓" : index + 1}</span>
            <span>
              <b className="font-medium">{name}:</b> <span className={done ? "" : "quiet"}>{words}.</span>
            </span>
          </li>
        ))}
      </ol>
      {side && side.takes.length > 0 && (
        <p className="mt-3 text-warning">
          {side.name} has {plural(side.takes.length, "take")} already. Another one is kept beside{" "}
          {side.takes.length > 1 ? "them" : "it"}; which of them counts is chosen below.
        </p>
      )}
      {word === "hot" || word === "clipped" ? (
        <p className="mt-3 font-medium text-error">
          It is too hot to record: turn it down first, then press “Reset peaks”.
        </p>
      ) : null}
    </section>
  );
}

function Growing(props: { docket: Docket; transfer: Transfer; recording: RecordingView; peakDbtp: number | null }) {
  const { docket, transfer, recording, peakDbtp } = props;
  const side = sidesOf(docket).find((one) => one.id === recording.side_id);
  return (
    <section aria-label="The side so far" className="rule-b min-h-[130px] flex-1 overflow-auto py-1">
      <GrowingPage
        recording={recording}
        peakDbtp={peakDbtp}
        expectedS={transfer.room.needed_s}
        label={side ? side.name : ""}
      />
    </section>
  );
}

interface RowProps {
  docket: Docket;
  transfer: Transfer;
  recordedSamples: number | null;
  isAway: boolean;
  doing: TransferDoing;
}

/** What it does now, how far it is, and what to press next. */
function CommandRow({ docket, transfer, recordedSamples, isAway, doing }: RowProps) {
  const { state, settings } = transfer;
  const sides = sidesOf(docket);
  const side = sides.find((one) => one.id === settings.side_id);
  const recordedSide = sides.find((one) => one.id === transfer.recording?.side_id) ?? side;
  const next = sides[sides.findIndex((one) => one.id === recordedSide?.id) + 1];
  const busy = state === "recording" || state === "paused";
  const go = (command: Parameters<typeof doing.simple.mutate>[0]) => doing.simple.mutate(command);
  const turn = (newTake: boolean) => next && doing.turnOver.mutate({ side_id: next.id, new_take: newTake });
  useCommands([
    {
      label: state === "armed" ? "Disarm" : "Arm",
      keys: ["A"],
      perform: () => go(state === "armed" ? "disarm" : "arm"),
      disabled: busy,
    },
    { label: "Record at once", keys: ["B"], perform: () => go("record"), disabled: busy },
    {
      label: state === "paused" ? "Go on" : "Pause",
      keys: ["P"],
      perform: () => go(state === "paused" ? "go-on" : "pause"),
      disabled: !busy,
    },
    { label: "Stop: the recording becomes a take", keys: ["S"], perform: () => go("stop"), disabled: !busy },
    { label: "Turn over, with a new take", keys: ["T"], perform: () => turn(true), disabled: !busy || !next },
  ]);
  return (
    <section aria-label="Recording" className="rule-b flex flex-wrap items-center gap-3 px-5 py-2.5">
      <StateWord state={state} side={recordedSide} isAway={isAway} />
      <span className="figure text-[22px] font-medium" data-testid="recorded">
        {clock(recordedSamples ?? 0, transfer.rate_hz, 1)}
      </span>
      <span className="ml-auto flex flex-wrap gap-2">
        {state === "listening" && (
          <button type="button" className="press press-main" onClick={() => go("arm")}>
            Arm
          </button>
        )}
        {state === "armed" && (
          <button type="button" className="press" onClick={() => go("disarm")}>
            Disarm
          </button>
        )}
        {!busy && (
          <button type="button" className="press" onClick={() => go("record")}>
            Record at once
          </button>
        )}
        {state === "recording" && (
          <button type="button" className="press" onClick={() => go("pause")}>
            Pause
          </button>
        )}
        {state === "paused" && (
          <button type="button" className="press press-main" onClick={() => go("go-on")}>
            Go on
          </button>
        )}
        {busy && next && (
          <>
            <button
              type="button"
              className="press"
              title={`Ends this take and waits for ${lowerFirst(next.name)}`}
              onClick={() => turn(true)}
            >
              Turn over to {next.letter}
            </button>
            <button
              type="button"
              className="press"
              title={`${next.name} follows in the same take`}
              onClick={() => turn(false)}
            >
              {next.letter} in this take
            </button>
          </>
        )}
        {busy && (
          <button type="button" className="press press-main" onClick={() => go("stop")}>
            Stop
          </button>
        )}
      </span>
    </section>
  );
}

function StateWord({ state, side, isAway }: { state: Transfer["state"]; side: Side | undefined; isAway: boolean }) {
  const name = side ? side.name : "";
  if (isAway && (state === "recording" || state === "paused"))
    return (
      <span role="status" className="font-serif text-[17px] text-warning">
        No sound arrives; the browser keeps two minutes of it
      </span>
    );
  const inside = lowerFirst(name);
  const words = {
    listening: `Listening; nothing is written. ${name} is next`,
    armed: `Armed for ${inside}: lower the stylus`,
    recording: `Recording ${inside}`,
    paused: `Paused in ${inside}; nothing is written`,
    ended: "Ended",
  };
  return (
    <span
      role="status"
      className={clsx(
        "flex items-center gap-2 font-serif text-[17px]",
        state === "recording" ? "text-error" : state === "armed" ? "text-warning" : "",
      )}
    >
      {state === "recording" && <Nib />}
      {words[state]}
    </span>
  );
}

/** A pen nib on the paper: something is being written. */
function Nib() {
  return (
    <svg width="15" height="18" viewBox="0 0 15 18" aria-hidden fill="currentColor">
      <path d="M4.5 0h6l3 9-6 9-6-9z" />
      <path d="M7.5 17V9.5" stroke="var(--color-base-100)" strokeWidth="1.2" />
      <circle cx="7.5" cy="8.4" r="1.5" fill="var(--color-base-100)" />
    </svg>
  );
}
