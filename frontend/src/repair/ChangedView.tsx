import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Repairs, Schemas } from "../api/client";
import { harmQuery, hearingQuery, versionsQuery } from "../api/queries";
import { UndoRedo } from "../docket/UndoRedo";
import { useSideSound } from "../docket/sideSound";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { useTheme } from "../frame/theme";
import { player, type SideSound, useHearing } from "../player/player";
import { LISTEN_FOR } from "../player/programme";
import { useSize } from "../waveform/useSource";
import { clock, level, moment, percent } from "../words/figures";
import { Trouble } from "../words/Trouble";
import type { ViewProps } from "./DamageView";
import { Spectrogram } from "./Spectrogram";
import { Standing } from "./Standing";
import { REPORT, useBusy, useDamage, useRepairing } from "./useRepairing";

type Harm = Schemas["Harm"];

const REPORT_PX = 190;
const LENGTHS_S = [2, 8, 30];

/** What the plan alters, in words and figures; spectrograms of any stretch; two versions compared. */
export function ChangedView({ docket, side, take, plan: planView, title, source }: ViewProps) {
  const theme = useTheme();
  const hearing = useHearing();
  const repairing = useRepairing(docket, side, planView);
  const { played, state, error } = useSideSound(docket, side, take);
  const { rate_hz: rateHz, samples } = source.index;
  const { data: harm } = useQuery(harmQuery(side.id, planView.version));
  const damage = useDamage(side, null);
  const busy = useBusy(docket, side, REPORT);
  const [box, desk] = useSize();
  const [lengthS, setLengthS] = useState(8);
  const [at, setAt] = useState<number | null>(null);
  const middle = at ?? harm?.harm?.largest_at_sample ?? samples / 2;
  const length = Math.min(lengthS * rateHz, samples);
  const from = Math.round(Math.max(0, Math.min(samples - length, middle - length / 2)));
  const to = Math.round(from + length);
  const pictureHeight = Math.max(90, Math.floor((desk.height - REPORT_PX) / 3) - 2);
  const other = useOther(side.id, planView.version);

  const hear = (sound: SideSound | null) => player.playSpans({ ...played, side: sound }, [[from, to]], true);
  const against = (sound: SideSound | null) => {
    other.setHeard(sound?.version ?? null);
    if (hearing?.playing && sound) player.follow(take.id, sound);
    else hear(sound);
  };
  const move = (by: 1 | -1) => {
    setAt(Math.max(length / 2, Math.min(samples - length / 2, middle + by * length)));
  };
  useCommands([
    {
      label: "Play the stretch over and over, or stop",
      keys: ["Space"],
      perform: () => (hearing?.playing ? player.stop() : hear(played.side)),
    },
    { label: "Stretch before", keys: [","], perform: () => move(-1), repeats: true },
    { label: "Stretch after", keys: ["."], perform: () => move(1), repeats: true },
    { label: "Hear the plan as it is: A", keys: ["A"], perform: () => against(played.side), disabled: !played.side },
    {
      label: "Hear the other version: B",
      keys: ["B"],
      perform: () => other.sound && against(other.sound),
      disabled: !other.sound,
    },
    { label: "Undo", keys: ["Ctrl+Z"], perform: () => repairing.editing.undo.mutate(), disabled: !planView.undo },
    {
      label: "Redo",
      keys: ["Ctrl+Shift+Z", "Ctrl+Y"],
      perform: () => repairing.editing.redo.mutate(),
      disabled: !planView.redo,
    },
  ]);
  const trouble = repairing.editing.error ?? repairing.ask.error ?? error;
  return (
    <Desk
      title={title}
      margin={
        <div className="flex flex-col">
          <UndoRedo plan={planView} editing={repairing.editing} />
          <h2 className="margin-heading !mt-0">Two versions</h2>
          {other.versions.length < 2 && (
            <p className="quiet">Once the plan has been changed, its versions can be heard against each other here.</p>
          )}
          {other.versions.length >= 2 && (
            <>
              <p className="quiet">
                A is the plan as it is. Choose B; while a stretch plays, A and B change without a gap.
              </p>
              <select
                aria-label="The other version"
                className="mt-2 border border-base-300 bg-base-100 px-1.5 py-1"
                value={other.chosen ?? ""}
                onChange={(event) => other.choose(event.target.value ? Number(event.target.value) : null)}
              >
                <option value="">choose B</option>
                {other.versions.map((one) => (
                  <option key={one.version} value={one.version} disabled={one.version === planView.version}>
                    {one.action}, {moment(one.made_at)}
                  </option>
                ))}
              </select>
              <div className="mt-2 flex gap-1.5">
                <button
                  type="button"
                  className={`press ${other.heard === planView.version ? "press-main" : ""}`}
                  disabled={!played.side}
                  onClick={() => against(played.side)}
                >
                  Hear A
                </button>
                <button
                  type="button"
                  className={`press ${other.heard !== null && other.heard === other.chosen ? "press-main" : ""}`}
                  disabled={!other.sound}
                  onClick={() => other.sound && against(other.sound)}
                >
                  Hear B
                </button>
              </div>
            </>
          )}
          <h2 className="margin-heading">The stretch</h2>
          <p className="figure">
            {clock(from, rateHz)} to {clock(to, rateHz)}
          </p>
          <div className="mt-1 flex flex-wrap gap-1.5">
            <button type="button" className="press" onClick={() => move(-1)}>
              Before
            </button>
            <button type="button" className="press" onClick={() => move(1)}>
              After
            </button>
            <select
              aria-label="Length of the stretch"
              className="border border-base-300 bg-base-100 px-1.5"
              value={lengthS}
              onChange={(event) => setLengthS(Number(event.target.value))}
            >
              {LENGTHS_S.map((one) => (
                <option key={one} value={one}>
                  {one} s
                </option>
              ))}
            </select>
            <button type="button" className="press" onClick={() => hear(played.side)}>
              Hear it
            </button>
          </div>
          <Standing state={state} docket={docket} side={side} />
        </div>
      }
    >
      <div ref={box} className="h-full">
        {trouble !== null && trouble !== undefined && <Trouble error={trouble} />}
        {planView.at_rest ? (
          <p className="p-6">Nothing is done to this side: it would be sealed as it was recorded, bit for bit.</p>
        ) : (
          <>
            <section aria-label="Harm report" className="grid grid-cols-[1fr_1fr] gap-6 px-5 py-3 text-[13px]">
              {harm?.harm ? (
                <Report harm={harm.harm} rateHz={rateHz} onLook={setAt} />
              ) : (
                <div>
                  <p>
                    How much of the side is altered, in which bands, and near which attacks: worked out sample by sample
                    over the whole side.
                  </p>
                  <button
                    type="button"
                    className="press press-main mt-2"
                    disabled={busy !== null || state?.lacks === "scan"}
                    onClick={() => repairing.ask.mutate("harm")}
                  >
                    {busy ? `Comparing, ${percent(busy.progress)}` : "Work it out"}
                  </button>
                </div>
              )}
              {damage.found && (
                <PerMinute found={damage.found} onLook={(minute) => setAt((minute + 0.5) * 60 * rateHz)} />
              )}
            </section>
            {state &&
              state.lacks !== "scan" &&
              desk.width > 0 &&
              LISTEN_FOR.map((listen) => (
                <figure key={listen} className="relative border-t border-base-300">
                  <Spectrogram
                    sideId={side.id}
                    version={state.version}
                    listen={listen}
                    from={from}
                    to={to}
                    rateHz={rateHz}
                    width={desk.width}
                    height={pictureHeight}
                    theme={theme}
                  />
                  <figcaption className="figure absolute left-2 top-1 bg-base-100/85 px-1 text-[11px]">
                    {listen}
                  </figcaption>
                </figure>
              ))}
          </>
        )}
      </div>
    </Desk>
  );
}

/** Another version of the plan to be heard against the one that is. */
function useOther(sideId: number, version: number) {
  const { data: versions = [] } = useQuery(versionsQuery(sideId, version));
  const [chosen, choose] = useState<number | null>(null);
  const [heard, setHeard] = useState<number | null>(null);
  const { data: state } = useQuery({ ...hearingQuery(sideId, chosen ?? 0), enabled: chosen !== null });
  const sound: SideSound | null =
    chosen !== null && state?.version === chosen && state.lacks !== "scan"
      ? { sideId, version: chosen, speedRatio: state.speed_ratio, gainsDb: state.gains_db }
      : null;
  return { versions, chosen, choose, heard, setHeard, sound };
}

function Report({ harm, rateHz, onLook }: { harm: Harm; rateHz: number; onLook: (sample: number) => void }) {
  const largest = harm.largest_at_sample;
  return (
    <div>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-0.5">
        <dt className="quiet">Samples altered</dt>
        <dd className="figure">{(100 * harm.altered_share).toFixed(3)} %</dd>
        <dt className="quiet">Removed sound</dt>
        <dd className="figure">{harm.taken_dbfs == null ? "nothing" : level(harm.taken_dbfs)}</dd>
        {largest != null && (
          <>
            <dt className="quiet">Largest</dt>
            <dd className="figure">
              {level(harm.largest_dbfs)} at{" "}
              <button
                type="button"
                className="text-primary underline-offset-2 hover:underline"
                onClick={() => onLook(largest)}
              >
                {clock(largest, rateHz)}
              </button>
            </dd>
          </>
        )}
        <dt className="quiet">Transients altered</dt>
        <dd className="figure">{harm.attacks_touched}</dd>
      </dl>
      <table className="mt-2 w-full text-[12px]" aria-label="Removed sound in each octave">
        <tbody>
          <tr className="quiet">
            {harm.bands.map((band) => (
              <td key={band.centre_hz} className="figure text-center">
                {band.centre_hz >= 1000 ? `${band.centre_hz / 1000}k` : Math.round(band.centre_hz)}
              </td>
            ))}
          </tr>
          <tr title="Removed sound, against what there was, in decibels">
            {harm.bands.map((band) => (
              <td key={band.centre_hz} className="figure text-center">
                {band.taken_db == null ? "·" : Math.round(band.taken_db).toString().replace("-", "−")}
              </td>
            ))}
          </tr>
        </tbody>
      </table>
      <p className="quiet text-[12px]">Hz above, below it what was taken of each octave, in dB of what there was.</p>
    </div>
  );
}

/** How many repairs in each minute: where the damage lies. */
function PerMinute({ found, onLook }: { found: Repairs; onLook: (minute: number) => void }) {
  const most = Math.max(1, ...found.per_minute);
  return (
    <div>
      <p className="quiet">Repairs in each minute, {found.mended.toLocaleString("en-GB")} in all</p>
      <div className="mt-1 flex h-24 items-end gap-[2px]">
        {found.per_minute.map((count, minute) => (
          <button
            key={minute}
            type="button"
            title={`Minute ${minute + 1}: ${count}`}
            aria-label={`Minute ${minute + 1}: ${count} repairs`}
            className="group relative min-w-[3px] max-w-12 flex-1 bg-base-300 hover:bg-primary"
            style={{ height: `${(100 * count) / most}%` }}
            onClick={() => onLook(minute)}
          >
            {found.per_minute.length <= 12 && (
              <span className="figure absolute -top-[1px] left-0 right-0 text-center text-[11px]">{count}</span>
            )}
          </button>
        ))}
      </div>
    </div>
  );
}
