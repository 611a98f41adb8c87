import type { Plan, PlanView } from "../api/client";
import { NumberInput } from "../ui/NumberInput";
import { type Join, joinName, type Part, reasons, standing } from "../waveform/joins";
import { chance, clock } from "../words/figures";
import { UndoRedo } from "./UndoRedo";
import type { usePlanEditing } from "./usePlanEditing";

interface Props {
  plan: PlanView;
  join: Join | null;
  part: Part;
  rateHz: number;
  firstNumber: number;
  editing: ReturnType<typeof usePlanEditing>;
  carry: boolean;
  roll: number;
  loop: boolean;
  signed: number;
  count: number;
  onPart: (part: Part) => void;
  onCarry: (carry: boolean) => void;
  onRoll: (seconds: number) => void;
  onLoop: (loop: boolean) => void;
  onNudge: (ms: number) => void;
  onHear: () => void;
  onSign: () => void;
  onSnap: (to: "quietest moment" | "zero crossing") => void;
  onCloseUp: () => void;
}

const PARTS: readonly [Part, string][] = [
  ["end", "its end"],
  ["start", "the next start"],
  ["both", "both"],
];

/** Beside the joins sheet: the chosen join exactly, and what is kept around every cut. */
export function JoinsMargin(props: Props) {
  const { plan, join, editing, rateHz } = props;
  return (
    <div className="flex flex-col">
      <UndoRedo plan={plan} editing={editing} />
      <p data-testid="signed">
        {props.signed} of {props.count} joins signed off
      </p>
      {join && (
        <>
          <h2 className="margin-heading">Join {joinName(join, props.firstNumber)}</h2>
          <dl className="grid grid-cols-[auto_1fr] gap-x-3">
            {join.before && (
              <>
                <dt className="quiet">ends</dt>
                <dd className="figure text-right">{clock(join.before.end_sample, rateHz)}</dd>
              </>
            )}
            {join.after && (
              <>
                <dt className="quiet">starts</dt>
                <dd className="figure text-right">{clock(join.after.start_sample, rateHz)}</dd>
              </>
            )}
          </dl>
          <p className="mt-1">
            {join.signedBy
              ? `Signed off by ${join.signedBy}: take that back to move it.`
              : standing(join) === "set by hand"
                ? "Set by hand."
                : `Found, ${chance(join.confidence ?? 0)} sure.`}
          </p>
          {reasons(join).map((reason) => (
            <p key={reason} className="quiet">
              {reason}
            </p>
          ))}
          <div className="mt-2 flex flex-wrap items-center gap-1" role="radiogroup" aria-label="What is moved">
            <span className="quiet mr-1">Move</span>
            {PARTS.map(([name, label]) => (
              <button
                key={name}
                type="button"
                role="radio"
                aria-checked={props.part === name}
                className={`press !px-1.5 !py-0.5 ${props.part === name ? "press-main" : ""}`}
                onClick={() => props.onPart(name)}
              >
                {label}
              </button>
            ))}
          </div>
          <div className="mt-2 grid grid-cols-6 gap-1">
            {[-100, -10, -1, 1, 10, 100].map((ms) => (
              <button
                key={ms}
                type="button"
                className="press figure justify-center !px-0"
                aria-label={`Nudge by ${ms} ms`}
                disabled={!!join.signedBy}
                onClick={() => props.onNudge(ms)}
              >
                {ms > 0 ? `+${ms}` : `−${-ms}`}
              </button>
            ))}
          </div>
          <label className="mt-2 flex items-center gap-2">
            <input type="checkbox" checked={props.carry} onChange={({ target }) => props.onCarry(target.checked)} />
            Move later joins too, as far as none is signed off
          </label>
          <div className="mt-2 flex flex-wrap gap-1.5">
            <button type="button" className="press press-main" onClick={props.onSign}>
              {join.signedBy ? "Next" : "Sign off, next"}
            </button>
            <button
              type="button"
              className="press"
              disabled={!!join.signedBy}
              onClick={() => props.onSnap("quietest moment")}
            >
              Snap to quietest
            </button>
            <button
              type="button"
              className="press"
              disabled={!!join.signedBy}
              onClick={() => props.onSnap("zero crossing")}
            >
              Snap to zero crossing
            </button>
            {join.before && join.after && (
              <button
                type="button"
                className="press"
                disabled={!!join.signedBy || join.before.end_sample === join.after.start_sample}
                onClick={props.onCloseUp}
              >
                Remove gap
              </button>
            )}
          </div>
        </>
      )}
      <h2 className="margin-heading">Hearing</h2>
      <div className="flex flex-wrap items-center gap-2">
        <button type="button" className="press" onClick={props.onHear}>
          Across the join
        </button>
        <select
          aria-label="Seconds before and after"
          className="border border-base-300 bg-base-100 px-1 py-0.5"
          value={props.roll}
          onChange={(event) => props.onRoll(Number(event.target.value))}
        >
          {[1, 2, 3, 5, 10].map((seconds) => (
            <option key={seconds} value={seconds}>
              {seconds} s each
            </option>
          ))}
        </select>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={props.loop} onChange={(event) => props.onLoop(event.target.checked)} /> over
          and over
        </label>
      </div>
      <p className="quiet mt-1">As the finished files will sound one after the other.</p>
      <Margins plan={plan} rateHz={rateHz} editing={editing} />
    </div>
  );
}

function Margins({ plan, rateHz, editing }: Pick<Props, "plan" | "rateHz" | "editing">) {
  const ms = (samples: number) => Math.round((samples * 1000) / rateHz);
  const now = {
    lead_ms: ms(plan.plan.lead_samples),
    tail_ms: ms(plan.plan.tail_samples),
    fade_ms: ms(plan.plan.fade_samples),
  };
  const set = (name: keyof typeof now, value: number) =>
    value !== now[name] && editing.edit.mutate({ edit: { op: "set margins", ...now, [name]: value } });
  return (
    <>
      <h2 className="margin-heading">Padding and fades</h2>
      <label className="mb-1.5 flex items-center gap-2">
        Gaps
        <select
          aria-label="Gaps between tracks"
          className="flex-1 border border-base-300 bg-base-100 px-1 py-0.5"
          value={plan.plan.gaps}
          onChange={(event) =>
            editing.edit.mutate({ edit: { op: "set gaps", gaps: event.target.value as Plan["gaps"] } })
          }
        >
          <option value="kept">kept with the track before</option>
          <option value="left out">left out</option>
          <option value="silence">made digital silence</option>
          <option value="room tone">made the side’s own room tone</option>
        </select>
      </label>
      {(
        [
          ["lead_ms", "Quiet kept before"],
          ["tail_ms", "Quiet kept after"],
          ["fade_ms", "Fade at a cut"],
        ] as const
      ).map(([name, label]) => (
        <Milliseconds
          key={`${name} ${now[name]}`}
          label={label}
          value={now[name]}
          onSet={(value) => set(name, value)}
        />
      ))}
    </>
  );
}

function Milliseconds({ label, value, onSet }: { label: string; value: number; onSet: (value: number) => void }) {
  return (
    <label className="mb-1 flex items-center gap-2">
      <span className="flex-1">{label}</span>
      <NumberInput
        className="figure w-16 border border-base-300 bg-base-100 px-1.5 py-0.5 text-right"
        unit="ms"
        min={0}
        value={value}
        onSave={(typed) => onSet(Math.round(typed))}
      />
      <span className="quiet">ms</span>
    </label>
  );
}
