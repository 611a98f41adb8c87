import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import {
  answer,
  api,
  type Docket,
  type HearingState,
  type Listed,
  type PlanView,
  type Repairs,
  type Side,
} from "../api/client";
import { startingPointsQuery } from "../api/queries";
import { UndoRedo } from "../docket/UndoRedo";
import type { Span } from "../waveform/Page";
import { clock, likely, percent, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { AmountField } from "./AmountField";
import { ByHand } from "./ByHand";
import { stateOf } from "./RepairList";
import { Standing } from "./Standing";
import { type Repairing, SCAN, useBusy } from "./useRepairing";

interface Props {
  docket: Docket;
  side: Side;
  plan: PlanView;
  found: Repairs | null;
  isUnscanned: boolean;
  state: HearingState | null;
  repairing: Repairing;
  rateHz: number;
  channels: number;
  chosen: Listed | null;
  meant: number;
  listed: number;
  listName: string;
  selection: Span | null;
  drawn: number[] | null;
  handChannel: number | null;
  onHear: () => void;
  onJudge: (mend: boolean) => void;
  onJudgeListed: (mend: boolean) => void;
  onForget: () => void;
  onHandChannel: (channel: number | null) => void;
  onSelect: (span: Span | null) => void;
  onDraw: (begin: boolean) => void;
  onHandDone: () => void;
}

/** Beside the damage: the scan, how much is mended, the chosen repair, and what can be done by hand. */
export function DamageMargin(props: Props) {
  const { docket, side, plan, found, repairing, chosen } = props;
  const scanning = useBusy(docket, side, SCAN);
  return (
    <div className="flex flex-col">
      <UndoRedo plan={plan} editing={repairing.editing} />
      {props.isUnscanned && (
        <>
          <p>
            The side is listened to for clicks, crackle and scratches. Nothing is changed by that; it takes about a
            twentieth of its playing time.
          </p>
          <button
            type="button"
            className="press press-main mt-3 self-start"
            disabled={scanning !== null || repairing.ask.isPending}
            onClick={() => repairing.ask.mutate("scan")}
          >
            {scanning ? `Scanning, ${percent(scanning.progress)}` : "Scan for damage"}
          </button>
        </>
      )}
      {found && (
        <>
          {chosen && <Chosen {...props} chosen={chosen} />}
          <AmountField docket={docket} side={side} found={found} repairing={repairing} />
          <Beginnings {...props} found={found} />
        </>
      )}
      <ByHand
        selection={props.selection}
        rateHz={props.rateHz}
        channels={props.channels}
        repairing={repairing}
        drawn={props.drawn}
        channel={props.handChannel}
        onChannel={props.onHandChannel}
        onSelect={props.onSelect}
        onDraw={props.onDraw}
        onDone={props.onHandDone}
      />
      <Standing state={props.state} docket={docket} side={side} />
    </div>
  );
}

function Chosen({ chosen, rateHz, meant, ...props }: Props & { chosen: Listed }) {
  const state = stateOf(chosen);
  const facts = [
    `${((1000 * chosen.length) / rateHz).toFixed(2)} ms`,
    chosen.over_db == null ? "" : `${chosen.over_db.toFixed(1).replace("-", "−")} dB over the music`,
    chosen.likelihood == null ? "" : `${likely(chosen.likelihood)} likely damage`,
    chosen.family == null ? "" : `of scratch ${chosen.family + 1}`,
  ].filter(Boolean);
  const many = meant > 1;
  return (
    <section aria-label="Chosen repair" className="mb-2 border-l-2 border-error pl-2">
      <h2 className="margin-heading !mt-0">
        {many ? plural(meant, "repair") : `${chosen.kind} at ${clock(chosen.start, rateHz)}`}
      </h2>
      {!many && (
        <p className="quiet">
          {facts.join(", ")}.{" "}
          {
            {
              mended: "Mended by the amount",
              accepted: "Accepted by hand",
              refused: "Refused: it stays as it was",
              left: "Left by the amount",
            }[state]
          }
          .
        </p>
      )}
      <div className="mt-2 flex flex-wrap gap-1.5">
        <button type="button" className="press" onClick={props.onHear}>
          Hear
        </button>
        {(many || state !== "accepted") && (
          <button type="button" className="press" onClick={() => props.onJudge(true)}>
            Accept
          </button>
        )}
        {(many || state !== "refused") && (
          <button type="button" className="press" onClick={() => props.onJudge(false)}>
            {chosen.key ? "Take back" : "Refuse"}
          </button>
        )}
        {!chosen.key && (state === "accepted" || state === "refused") && (
          <button type="button" className="press" onClick={props.onForget}>
            As the amount says
          </button>
        )}
      </div>
    </section>
  );
}

/** Where to begin, and what is done to all that is listed. */
function Beginnings({ side, found, repairing, listed, listName, onJudgeListed }: Props & { found: Repairs }) {
  const { data: points = [] } = useQuery(startingPointsQuery);
  const cache = useQueryClient();
  const [name, setName] = useState<string | null>(null);
  const begin = (chosen: string) => {
    const point = points.find((one) => one.point.name === chosen)?.point;
    if (point) repairing.editing.edit.mutate({ edit: { op: "begin from", point, proposed: found.proposal.amount } });
  };
  const save = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/starting-points", { body: { side_id: side.id, name: name ?? "", suits: "" } })),
    onSuccess: () => {
      setName(null);
      void cache.invalidateQueries({ queryKey: startingPointsQuery.queryKey });
    },
  });
  const link = "text-primary underline-offset-2 hover:underline";
  return (
    <>
      <label className="mt-3 flex items-center gap-2">
        Begin from
        <select
          aria-label="Begin from"
          className="min-w-0 flex-1 border border-base-300 bg-base-100 px-1.5 py-0.5"
          value=""
          onChange={(event) => begin(event.target.value)}
        >
          <option value="">what suits the carrier</option>
          {points.map(({ point }) => (
            <option key={point.name} value={point.name}>
              {point.suits ? `${point.name}: ${point.suits}` : point.name}
            </option>
          ))}
        </select>
      </label>
      {name === null ? (
        <p className="mt-1">
          <button type="button" className={link} onClick={() => setName("")}>
            Save these steps to begin others from
          </button>
        </p>
      ) : (
        <form
          className="mt-1 flex gap-1.5"
          onSubmit={(event) => {
            event.preventDefault();
            save.mutate();
          }}
        >
          <input
            autoFocus
            aria-label="Name of the starting point"
            className="cell min-w-0 flex-1"
            placeholder="what it suits"
            maxLength={60}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <button type="submit" className="press" disabled={!name.trim() || save.isPending}>
            Save
          </button>
          <button type="button" className="press" onClick={() => setName(null)}>
            Cancel
          </button>
        </form>
      )}
      {save.error && <Trouble error={save.error} />}
      {listed > 0 && (
        <p className="mt-2">
          All <span className="figure">{listed.toLocaleString("en-GB")}</span> {listName}:{" "}
          <button
            type="button"
            className={`${link} disabled:opacity-45`}
            disabled={listed > 5_000}
            title={listed > 5_000 ? "At most 5,000 at once: choose a stretch on the page" : undefined}
            onClick={() => onJudgeListed(true)}
          >
            accept
          </button>
          ,{" "}
          <button type="button" className={link} onClick={() => onJudgeListed(false)}>
            refuse
          </button>
        </p>
      )}
    </>
  );
}
