import { useQuery } from "@tanstack/react-query";

import type { HearingState, Plan, Side } from "../api/client";
import { curvesQuery } from "../api/queries";
import { ByPitch } from "./ByPitch";
import { ChannelSteps, NO_CHANNELS } from "./ChannelSteps";
import { Equaliser } from "./Equaliser";
import { Choice, Figure, StepBox, Tick } from "./fields";
import { LevelStep } from "./LevelStep";
import { decibels } from "./words";
import type { Repairing } from "./useRepairing";

/** What a record was made for, over what it was played at. */
const SPEEDS = [
  ["78.26 played at 45", 78.26 / 45],
  ["78.26 played at 33 1/3", 78.26 / (100 / 3)],
  ["45 played at 33 1/3", 1.35],
  ["33 1/3 played at 45", 100 / 135],
] as const;

interface Props {
  side: Side;
  plan: Plan;
  state: HearingState | null;
  repairing: Repairing;
}

/** Every step besides the mending of damage, in the order in which they are done. */
export function SoundSteps({ side, plan, state, repairing }: Props) {
  const { restoration, restore } = repairing;
  const { hum, hiss, rumble, recurve, level } = restoration;
  const channels = { ...NO_CHANNELS, ...restoration.channels };
  const bands = restoration.equaliser ?? [];
  const ratio = restoration.speed_ratio ?? 1;
  const { data: curves = [] } = useQuery(curvesQuery);
  const curve = (name: string) => curves.find((one) => one.name === name) ?? { name: "flat" };
  const curveOptions = curves.map((one) => [one.name, one.name] as const);
  // What was found is how fast the carrier ran; what is asked for is what brings it to its true speed.
  const known = plan.found?.speed_ratio ? 1 / plan.found.speed_ratio : null;
  return (
    <div className="grid grid-cols-2 content-start gap-x-4 text-[13px]">
      <div>
        <StepBox
          title="Short overs"
          told="a reconstruction, where it was clipped"
          on={restoration.declip ?? false}
          onToggle={(on) => restore({ declip: on }, on ? "short overs rebuilt" : "short overs left")}
        />
        <StepBox
          title="Thumps"
          told={state && restoration.thumps ? `${state.thumps} taken off` : "the swing after a hard blow"}
          on={restoration.thumps ?? false}
          onToggle={(on) => restore({ thumps: on }, on ? "thumps taken off" : "thumps left")}
        />
        <StepBox
          title="Dropouts"
          told={state && restoration.dropouts ? `${state.dropouts} raised` : "holes in a tape's level"}
          on={restoration.dropouts ?? false}
          onToggle={(on) => restore({ dropouts: on }, on ? "dropouts raised" : "dropouts left")}
        />
        <ChannelSteps side={side} channels={channels} repairing={repairing} />
        <StepBox
          title="Hum"
          told={
            !hum
              ? "mains, followed through the side"
              : state?.hum_hz
                ? `${state.hum_hz.toFixed(3)} Hz, ${decibels(state.hum_dbfs ?? 0)} dBFS`
                : state?.exact
                  ? "none found"
                  : ""
          }
          on={!!hum}
          onToggle={(on) =>
            restore({ hum: on ? { mains_hz: null, harmonics: 24 } : null }, on ? "hum taken off" : "hum left")
          }
        >
          {hum && (
            <>
              <Choice
                label="Mains"
                value={String(hum.mains_hz ?? "")}
                options={[
                  ["", "as heard"],
                  ["50", "50 Hz"],
                  ["60", "60 Hz"],
                ]}
                onSave={(mains) =>
                  restore({ hum: { ...hum, mains_hz: mains ? (Number(mains) as 50 | 60) : null } }, "mains of the hum")
                }
              />
              <Figure
                label="Harmonics"
                value={hum.harmonics ?? 24}
                unit=""
                min={1}
                max={40}
                onSave={(harmonics) =>
                  restore({ hum: { ...hum, harmonics: Math.round(harmonics) } }, "harmonics of the hum")
                }
              />
            </>
          )}
        </StepBox>
        <StepBox
          title="Hiss"
          told={
            hiss && state?.noise_from_sample != null
              ? `print from ${(state.noise_from_sample / rateOf(side)).toFixed(1)} s`
              : "steady noise, from where it is quietest"
          }
          on={!!hiss}
          onToggle={(on) => restore({ hiss: on ? { reduction_db: 9 } : null }, on ? "hiss reduced" : "hiss left")}
        >
          {hiss && (
            <Figure
              label="Reduction"
              shows="by at most"
              value={hiss.reduction_db ?? 9}
              unit="dB"
              min={1}
              max={30}
              onSave={(reduction_db) =>
                restore({ hiss: { ...hiss, reduction_db } }, `hiss reduced by ${reduction_db} dB`)
              }
            />
          )}
        </StepBox>
      </div>
      <div>
        <StepBox
          title="Curve"
          told={recurve ? "undone, and the right one applied" : "played with another than it was cut for"}
          on={!!recurve}
          onToggle={(on) =>
            restore(
              { recurve: on ? { played_with: curve("microgroove"), cut_with: curve("flat") } : null },
              on ? "curve put right" : "curve left",
            )
          }
        >
          {recurve && (
            <>
              <Choice
                label="Played with"
                value={recurve.played_with?.name ?? "microgroove"}
                options={curveOptions}
                onSave={(name) => restore({ recurve: { ...recurve, played_with: curve(name) } }, `played with ${name}`)}
              />
              <Choice
                label="Cut with"
                value={recurve.cut_with?.name ?? "flat"}
                options={curveOptions}
                onSave={(name) => restore({ recurve: { ...recurve, cut_with: curve(name) } }, `cut with ${name}`)}
              />
            </>
          )}
        </StepBox>
        <StepBox
          title="Rumble"
          told="below the music"
          on={!!rumble}
          onToggle={(on) =>
            restore(
              { rumble: on ? { below_hz: 30, vertical_below_hz: null } : null },
              on ? "rumble cut" : "rumble left",
            )
          }
        >
          {rumble && (
            <>
              <Figure
                label="Cut below"
                value={rumble.below_hz ?? 30}
                unit="Hz"
                min={10}
                max={200}
                onSave={(below_hz) => restore({ rumble: { ...rumble, below_hz } }, `rumble cut below ${below_hz} Hz`)}
              />
              <Tick
                label="vertical part too, below"
                on={rumble.vertical_below_hz != null}
                onSave={(on) =>
                  restore(
                    { rumble: { ...rumble, vertical_below_hz: on ? 120 : null } },
                    on ? "vertical part cut" : "vertical part left",
                  )
                }
              />
              {rumble.vertical_below_hz != null && (
                <Figure
                  label="Vertical part below"
                  shows=""
                  value={rumble.vertical_below_hz}
                  unit="Hz"
                  min={20}
                  max={500}
                  onSave={(hz) =>
                    restore({ rumble: { ...rumble, vertical_below_hz: hz } }, `vertical part cut below ${hz} Hz`)
                  }
                />
              )}
            </>
          )}
        </StepBox>
        <Equaliser bands={bands} repairing={repairing} />
        <StepBox
          title="Speed"
          told={
            ratio !== 1
              ? `${((ratio - 1) * 100).toFixed(2).replace("-", "−")} %`
              : known
                ? `the tracks say ×${known.toFixed(4)}`
                : "as it was played"
          }
          on={ratio !== 1}
          onToggle={(on) =>
            restore({ speed_ratio: on ? (known ?? 78.26 / 45) : 1 }, on ? "speed put right" : "speed left")
          }
        >
          <Figure
            label="Ratio"
            value={Number(ratio.toFixed(6))}
            unit="times"
            min={0.2}
            max={5}
            onSave={(speed_ratio) => restore({ speed_ratio }, `speed times ${speed_ratio}`)}
          />
          <Choice
            label="A known case"
            shows=""
            value=""
            options={[
              ["", "a known case"],
              ...(known ? [[String(known), `as the tracks say, ×${known.toFixed(4)}`] as const] : []),
              ...SPEEDS.map(([name, value]) => [String(value), name] as const),
            ]}
            onSave={(value) =>
              value && restore({ speed_ratio: Number(value) }, `speed times ${Number(value).toFixed(4)}`)
            }
          />
          <ByPitch ratio={ratio} onSave={(speed_ratio) => restore({ speed_ratio }, "speed by its pitch")} />
        </StepBox>
        <LevelStep level={level ?? null} gainDb={state?.gain_db ?? null} repairing={repairing} />
      </div>
    </div>
  );
}

const rateOf = (side: Side): number =>
  side.takes.find((one) => one.id === side.chosen_take_id)?.format.rate_hz ?? 44_100;
