import { useMutation } from "@tanstack/react-query";

import { answer, api, type Docket, type FoundTracks, type PlanView, type Side } from "../api/client";
import { Mood } from "../frame/Mood";
import { type Edge, edgeName, sameEdge } from "../waveform/edges";
import { UNSURE_BELOW, WAVE_HEIGHTS, type WaveHeight } from "../waveform/pageLayout";
import { chance, clock } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { FindForm } from "./FindForm";
import { sidesOf } from "./useDocket";
import { UndoRedo } from "./UndoRedo";
import type { usePlanEditing } from "./usePlanEditing";

interface Props {
  docket: Docket;
  side: Side;
  plan: PlanView;
  rateHz: number;
  firstNumber: number;
  chosen: Edge | null;
  edges: readonly Edge[];
  editing: ReturnType<typeof usePlanEditing>;
  lineSeconds: number;
  carry: boolean;
  canAdd: boolean;
  height: WaveHeight;
  onHeight: (height: WaveHeight) => void;
  onCarry: (carry: boolean) => void;
  onLineSeconds: (seconds: number | null) => void;
  onChoose: (edge: Edge) => void;
  onNudge: (ms: number) => void;
  onAdd: () => void;
  onRemove: () => void;
  onHear: (from: number, to?: number | null) => void;
  onSign: () => void;
  onSnap: (to: "quietest moment" | "zero crossing") => void;
  onTry: (found: FoundTracks | null) => void;
}

/** Beside page and loupe: the tracks as a list, the chosen edge, and what the machine can be asked. */
export function TracksMargin(props: Props) {
  const { plan, chosen, firstNumber, editing, rateHz } = props;
  const turnOver = plan.plan.found.turn_overs[0];
  const sides = sidesOf(props.docket);
  const next = sides[sides.indexOf(props.side) + 1];
  const divide = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/takes/{take_id}/turn-over", {
          params: { path: { take_id: props.side.chosen_take_id ?? 0 } },
          body: { other_side_id: next?.id ?? 0, at_sample: turnOver ?? 0 },
        }),
      ),
  });
  return (
    <div className="flex flex-col">
      <UndoRedo plan={plan} editing={editing} />
      <TrackList {...props} />
      {chosen && (
        <>
          <h2 className="margin-heading">{capital(edgeName(chosen, firstNumber))}</h2>
          <p className="figure">{clock(chosen.sample, rateHz)}</p>
          <p className="quiet">{howSure(chosen)}</p>
          <div className="mt-2 grid grid-cols-6 gap-1">
            {[-100, -10, -1, 1, 10, 100].map((ms) => (
              <button
                key={ms}
                type="button"
                className="press figure justify-center !px-0"
                aria-label={`Nudge by ${ms} ms`}
                onClick={() => props.onNudge(ms)}
              >
                {ms > 0 ? `+${ms}` : `−${-ms}`}
              </button>
            ))}
          </div>
          <label className="mt-2 flex items-center gap-2">
            <input type="checkbox" checked={props.carry} onChange={({ target }) => props.onCarry(target.checked)} />
            Carry all later tracks along
          </label>
          <div className="mt-2 flex flex-wrap gap-2">
            <button
              type="button"
              className="press"
              onClick={() => props.onHear(Math.max(0, chosen.sample - 3 * rateHz), chosen.sample + 3 * rateHz)}
            >
              Hear across
            </button>
            <button type="button" className="press" onClick={props.onSign}>
              {chosen.locked ? "Take the sign-off back" : "Sign off"}
            </button>
            <button
              type="button"
              className="press"
              disabled={chosen.locked}
              onClick={() => props.onSnap("quietest moment")}
            >
              Snap to quietest
            </button>
            <button
              type="button"
              className="press"
              disabled={chosen.locked}
              onClick={() => props.onSnap("zero crossing")}
            >
              Snap to zero crossing
            </button>
            <button type="button" className="press" disabled={chosen.locked} onClick={props.onRemove}>
              {chosen.index === 0 && chosen.kind === "start" ? "Remove track" : "Remove join"}
            </button>
          </div>
        </>
      )}
      {!chosen && (
        <p className="mt-3">
          <button type="button" className="press" disabled={!props.canAdd} onClick={props.onAdd}>
            Add a join at the cursor
          </button>
        </p>
      )}
      {turnOver !== undefined && next && next.takes.length === 0 && (
        <p className="mt-3 border-l-2 border-warning pl-2">
          The record seems to be turned over at <span className="figure">{clock(turnOver, rateHz, 0)}</span>.{" "}
          <button type="button" className="press mt-1" disabled={divide.isPending} onClick={() => divide.mutate()}>
            Begin side {next.letter} there
          </button>
          {divide.error && <Trouble error={divide.error} />}
        </p>
      )}
      <FindForm
        sideId={props.side.id}
        plan={plan}
        carrierFormat={carrierOf(props.docket, props.side)}
        editing={editing}
        onTry={props.onTry}
      />
      <h2 className="margin-heading">Page</h2>
      <div className="grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-1.5">
        <span className="quiet">Lines of</span>
        <select
          aria-label="Length of a line"
          className="border border-base-300 bg-base-100 px-2 py-1"
          value={props.lineSeconds}
          onChange={(event) => props.onLineSeconds(Number(event.target.value))}
        >
          {[10, 15, 20, 30, 60, 90, 120].map((seconds) => (
            <option key={seconds} value={seconds}>
              {seconds < 60 ? `${seconds} s` : `${seconds / 60} min`}
            </option>
          ))}
        </select>
        <span className="quiet">Height</span>
        <select
          aria-label="Height of the waveform"
          className="border border-base-300 bg-base-100 px-2 py-1"
          value={props.height}
          onChange={(event) => props.onHeight(event.target.value as WaveHeight)}
        >
          {WAVE_HEIGHTS.map(({ name, label }) => (
            <option key={name} value={name}>
              {label}
            </option>
          ))}
        </select>
      </div>
    </div>
  );
}

function TrackList({ side, plan, rateHz, firstNumber, chosen, edges, onChoose }: Props) {
  const tracks = plan.plan.tracks ?? [];
  if (tracks.length === 0)
    return <p>No tracks are marked. Let them be found below, or click into the page and add a join at the cursor.</p>;
  return (
    <table className="w-full">
      <tbody>
        {tracks.map((track, index) => {
          const line = side.tracks.find((one) => one.key === track.key);
          const own = edges.find((edge) => edge.key === track.key && edge.kind !== "end");
          const unsure = (track.confidence ?? 1) < UNSURE_BELOW;
          return (
            <tr
              key={track.key}
              className={`cursor-pointer ${chosen?.key === track.key ? "bg-base-100" : "hover:bg-base-100"}`}
              onClick={() => own && onChoose(own)}
            >
              <td className="figure w-6 py-[3px] pl-1 text-right align-top">{firstNumber + index}</td>
              <td className="px-2 py-[3px] align-top">
                <button type="button" className="text-left leading-tight" aria-pressed={!!own && sameEdge(chosen, own)}>
                  {line?.title || <span className="quiet">untitled</span>}
                </button>
              </td>
              <td className="w-4 py-[5px] align-top">
                {unsure && (
                  <span title="to hear: the finder is not sure">
                    <Mood mood="doubtful" />
                    <span className="sr-only">to hear</span>
                  </span>
                )}
              </td>
              <td className="figure py-[3px] pr-1 text-right align-top">
                {clock(track.end_sample - track.start_sample, rateHz, 0)}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function howSure(edge: Edge): string {
  if (edge.locked) return "Signed off: take that back in the joins sheet to move it";
  if (edge.confidence === null) return "Set by hand";
  const advice = edge.confidence < UNSURE_BELOW ? ": better hear it" : "";
  return `Found, ${chance(edge.confidence)} sure${advice}${edge.reason ? `. ${edge.reason}` : ""}`;
}

const carrierOf = (docket: Docket, side: Side): string =>
  docket.carriers.find((carrier) => carrier.sides.some((one) => one.id === side.id))?.format ?? "";

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
