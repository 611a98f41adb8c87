import { clsx } from "clsx";
import { useQuery } from "@tanstack/react-query";
import { Volume2, VolumeX } from "lucide-react";
import { useEffect, useRef, useState } from "react";

import type { Docket, Transfer, TransferSettings } from "../api/client";
import { chainsQuery } from "../api/queries";
import { useCommands } from "../frame/commands";
import { NumberInput } from "../ui/NumberInput";
import { shortClock } from "../words/figures";
import { browserInput } from "./browserInput";
import { DeckControls } from "./DeckControls";
import { type LiveFeed, useLive } from "./live";
import { Monitor } from "./monitor";
import type { TransferDoing } from "./useTransfer";

interface Props {
  docket: Docket;
  transfer: Transfer;
  feed: LiveFeed;
  doing: TransferDoing;
}

/** Facts of the signal, the gain, how it begins and ends, and, for a simulated deck, the hands at it. */
export function TransferMargin({ transfer, feed, doing }: Props) {
  return (
    <>
      <GainPart transfer={transfer} doing={doing} />
      {transfer.source.simulated && <DeckControls transfer={transfer} doing={doing} />}
      <SignalPart feed={feed} />
      <EndsPart transfer={transfer} doing={doing} />
      <HearingPart transfer={transfer} />
      <RoomPart transfer={transfer} />
      {transfer.notes.length > 0 && (
        <>
          <h2 className="margin-heading">What happened</h2>
          <ol className="grid gap-1" aria-label="What happened">
            {[...transfer.notes]
              .reverse()
              .slice(0, 6)
              .map((note, index) => (
                <li key={`${index} ${note}`}>{note}</li>
              ))}
          </ol>
        </>
      )}
    </>
  );
}

function GainPart({ transfer, doing }: { transfer: Transfer; doing: TransferDoing }) {
  const { source, advice, is_listening_for_loudest: listening } = transfer;
  const { gain, set } = useGain(transfer.gain_db, doing);
  const canListen = transfer.state === "listening" || transfer.state === "armed";
  const step = source.gain?.step_db ?? 0.5;
  const loudest = () => doing.simple.mutate(listening ? "use-loudest" : "listen-for-loudest");
  useCommands([
    {
      label: listening ? "Use the loudest passage heard" : "Listen for the loudest passage",
      keys: ["L"],
      perform: loudest,
      disabled: !canListen && !listening,
    },
  ]);
  return (
    <>
      <h2 className="margin-heading">Gain</h2>
      {gain === null ? (
        <p className="mb-2">Its own knob sets the gain.</p>
      ) : (
        <div className="mb-2 flex items-center gap-2">
          <button type="button" className="press !px-2.5" aria-label="Softer" onClick={() => set(-step)}>
            −
          </button>
          <span className="figure w-20 text-center text-[15px]" data-testid="gain">
            {`${gain > 0 ? "+" : ""}${gain.toFixed(1)} dB`.replace("-", "−")}
          </span>
          <button type="button" className="press !px-2.5" aria-label="Louder" onClick={() => set(step)}>
            +
          </button>
        </div>
      )}
      <button
        type="button"
        className={`press ${listening ? "press-main" : ""}`}
        disabled={!canListen && !listening}
        onClick={loudest}
      >
        {listening
          ? gain === null
            ? "That was the loudest"
            : "That was it: set the gain"
          : "Listen for the loudest passage"}
      </button>{" "}
      <button
        type="button"
        className="press"
        title="Begin the highest peaks and the count of clipped samples anew"
        onClick={() => doing.simple.mutate("let-go")}
      >
        Reset peaks
      </button>
      {listening && <p className="mt-1 text-warning">Play the loudest passage now.</p>}
      {advice && (
        <p
          className={clsx(
            "mt-1",
            advice.verdict === "right"
              ? "text-accent"
              : advice.verdict === "quiet" || advice.verdict === "nothing heard"
                ? ""
                : "text-error",
          )}
        >
          {advice.words}
        </p>
      )}
    </>
  );
}

/** The gain as it was asked for last, until the server has said it: presses in quick succession add up. */
function useGain(told: number | null, doing: TransferDoing): { gain: number | null; set: (by: number) => void } {
  const [asked, setAsked] = useState<number | null>(null);
  const latest = useRef<number | null>(null);
  const set = (by: number) => {
    const wanted = (latest.current ?? told ?? 0) + by;
    latest.current = wanted;
    setAsked(wanted);
    doing.gain.mutate(wanted, {
      onSettled: () => {
        if (latest.current !== wanted) return;
        latest.current = null;
        setAsked(null);
      },
    });
  };
  return { gain: told === null ? null : (asked ?? told), set };
}

function SignalPart({ feed }: { feed: LiveFeed }) {
  const live = useLive(feed);
  if (!live) return null;
  const { hold } = live;
  const signed = (value: number, digits: number) => `${value > 0 ? "+" : ""}${value.toFixed(digits)}`.replace("-", "−");
  return (
    <>
      <h2 className="margin-heading">Signal</h2>
      <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
        <dt className="quiet">Balance</dt>
        <dd className="figure">{hold.balance_db === null ? "none" : `${signed(hold.balance_db, 1)} dB to the left`}</dd>
        <dt className="quiet">Offset (DC)</dt>
        <dd className="figure">{hold.dc_offset.map((one) => signed(one * 100, 3)).join(" / ")} %</dd>
        <dt className="quiet">Hum</dt>
        <dd className="figure">
          {hold.hum_hz === null
            ? "none found"
            : `${hold.hum_hz.toFixed(1)} Hz at ${signed(hold.hum_dbfs ?? 0, 0)} dBFS`}
        </dd>
      </dl>
      {hold.troubles.map((one) => (
        <p key={one} role="alert" className="mt-1 font-medium text-error">
          {one}
        </p>
      ))}
    </>
  );
}

function EndsPart({ transfer, doing }: { transfer: Transfer; doing: TransferDoing }) {
  const { data: chains = [] } = useQuery(chainsQuery);
  const { settings } = transfer;
  const set = (change: Partial<TransferSettings>) => doing.settings.mutate({ ...settings, ...change });
  const ends = settings.ends;
  return (
    <>
      <h2 className="margin-heading">Begins and ends</h2>
      <div className="grid gap-1.5">
        <Seconds
          label="Kept from before the start"
          value={settings.pre_roll_s}
          unit="s"
          max={5}
          onChange={(value) => set({ pre_roll_s: value ?? 0 })}
        />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-primary"
            checked={ends.at_run_out}
            onChange={(event) => set({ ends: { ...ends, at_run_out: event.target.checked } })}
          />
          ends in the run-out groove
        </label>
        <Seconds
          label="Ends after silence of"
          value={ends.silence_s ?? null}
          unit="s"
          max={600}
          onChange={(value) => set({ ends: { ...ends, silence_s: value } })}
        />
        <Seconds
          label="Ends after"
          value={ends.limit_s === null || ends.limit_s === undefined ? null : ends.limit_s / 60}
          unit="min"
          max={600}
          onChange={(value) => set({ ends: { ...ends, limit_s: value === null ? null : value * 60 } })}
        />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-primary"
            checked={settings.arm_again}
            onChange={(event) => set({ arm_again: event.target.checked })}
          />
          then waits for the next side
        </label>
        <label className="grid gap-1">
          <span className="quiet">Chain of the next take</span>
          <select
            className="border border-base-300 bg-base-100 px-2 py-1"
            value={settings.chain_id ?? ""}
            onChange={(event) => set({ chain_id: Number(event.target.value) || null })}
          >
            <option value="">not stated</option>
            {chains
              .filter((one) => !one.retired)
              .map((one) => (
                <option key={one.id} value={one.id}>
                  {one.chain.name}
                </option>
              ))}
          </select>
        </label>
      </div>
    </>
  );
}

/** A number of seconds or minutes that may be left empty. Taken over when left, so that it can be typed in peace. */
function Seconds({
  label,
  value,
  unit,
  max,
  onChange,
}: {
  label: string;
  value: number | null;
  unit: string;
  max: number;
  onChange: (value: number | null) => void;
}) {
  return (
    <label className="flex items-center gap-2">
      <span className="flex-1">{label}</span>
      <NumberInput
        className="figure w-14 border border-base-300 bg-base-100 px-1.5 py-0.5 text-right"
        unit={unit}
        placeholder="never"
        optional
        min={0}
        max={max}
        value={value}
        onSave={onChange}
      />
      <span className="quiet w-6">{unit}</span>
    </label>
  );
}

const HEARING_LEVEL = "inkwell hearing level";

/** Listening along. The browser's own input is muted until asked for: loudspeakers feed back through a stylus. */
function HearingPart({ transfer }: { transfer: Transfer }) {
  const isBrowser = transfer.source.kind === "browser";
  const [audible, setAudible] = useState(!isBrowser);
  const [level, setLevel] = useState(() => Number(localStorage.getItem(HEARING_LEVEL) ?? 0.5));
  const monitor = useRef<Monitor | null>(null);
  useEffect(() => {
    if (!audible || isBrowser) return;
    const made = new Monitor(transfer.key, Number(localStorage.getItem(HEARING_LEVEL) ?? 0.5));
    monitor.current = made;
    return () => {
      monitor.current = null;
      made.close();
    };
  }, [audible, isBrowser, transfer.key]);
  useEffect(() => {
    localStorage.setItem(HEARING_LEVEL, String(level));
    monitor.current?.set(level);
    if (isBrowser) browserInput.hear(audible ? level : 0);
  }, [level, audible, isBrowser]);
  useCommands([{ label: audible ? "Mute" : "Hear it", keys: ["M"], perform: () => setAudible(!audible) }]);
  return (
    <>
      <h2 className="margin-heading">Hearing</h2>
      <div className="flex items-center gap-3">
        <button type="button" className="press" aria-pressed={audible} onClick={() => setAudible(!audible)}>
          {audible ? <Volume2 size={15} aria-hidden /> : <VolumeX size={15} aria-hidden />}{" "}
          {audible ? "Heard: mute it" : "Muted: hear it"}
        </button>
        <input
          type="range"
          min={0}
          max={1}
          step={0.01}
          aria-label="How loud it is heard"
          className="w-24 accent-primary"
          value={level}
          onChange={(event) => setLevel(Number(event.target.value))}
        />
      </div>
    </>
  );
}

function RoomPart({ transfer }: { transfer: Transfer }) {
  const { room } = transfer;
  return (
    <>
      <h2 className="margin-heading">Disk</h2>
      <p className={room.enough ? "" : "font-medium text-error"}>
        Room for <span className="figure">{room.left_s > 86_400 ? "over a day" : shortClock(room.left_s)}</span>; the
        side wants <span className="figure">{shortClock(room.needed_s)}</span>.
        {room.enough ? "" : " That is not enough: make room first."}
      </p>
    </>
  );
}
