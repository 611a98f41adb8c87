import { useMutation, useQuery } from "@tanstack/react-query";
import { Plus, X } from "lucide-react";
import { useState } from "react";

import { answer, api, type HearingState, type Plan, type Restoration, type Side } from "../api/client";
import { curvesQuery } from "../api/queries";
import { Choice, Figure, StepBox, Tick } from "./fields";
import type { Repairing } from "./useRepairing";

type Band = NonNullable<Restoration["equaliser"]>[number];
type Level = NonNullable<Restoration["level"]>;
type Channels = NonNullable<Restoration["channels"]>;

const NO_CHANNELS: Required<Channels> = { swap: false, invert_left: false, invert_right: false, delay_right_us: 0, balance_db: 0, mono: "off" };
const SHAPES = [["bell", "bell"], ["low shelf", "low shelf"], ["high shelf", "high shelf"]] as const;
const MONO = [["off", "two channels"], ["both", "mono of both"], ["left", "mono of the left"], ["right", "mono of the right"], ["quieter", "mono of the quieter, moment by moment"]] as const;
const AIMS = [["gain", "by a gain"], ["peak", "to a peak"], ["loudness", "to a loudness"]] as const;
/** What a record was made for, over what it was played at. */
const SPEEDS = [["78.26 played at 45", 78.26 / 45], ["78.26 played at 33 1/3", 78.26 / (100 / 3)], ["45 played at 33 1/3", 1.35], ["33 1/3 played at 45", 100 / 135]] as const;

interface Props {
  side: Side;
  plan: Plan;
  state: HearingState | null;
  repairing: Repairing;
}

const decibels = (value: number): string => value.toFixed(1).replace("-", "−");

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
        <StepBox title="Short overs" told="a reconstruction, where it was clipped" on={restoration.declip ?? false} onToggle={(on) => restore({ declip: on }, on ? "short overs rebuilt" : "short overs left")} />
        <StepBox title="Thumps" told={state && restoration.thumps ? `${state.thumps} taken off` : "the swing after a hard blow"} on={restoration.thumps ?? false} onToggle={(on) => restore({ thumps: on }, on ? "thumps taken off" : "thumps left")} />
        <StepBox title="Dropouts" told={state && restoration.dropouts ? `${state.dropouts} raised` : "holes in a tape's level"} on={restoration.dropouts ?? false} onToggle={(on) => restore({ dropouts: on }, on ? "dropouts raised" : "dropouts left")} />
        <ChannelSteps side={side} channels={channels} repairing={repairing} />
        <StepBox
          title="Hum"
          told={!hum ? "mains, followed through the side" : state?.hum_hz ? `${state.hum_hz.toFixed(3)} Hz, ${decibels(state.hum_dbfs ?? 0)} dBFS` : state?.exact ? "none found" : ""}
          on={!!hum}
          onToggle={(on) => restore({ hum: on ? { mains_hz: null, harmonics: 24 } : null }, on ? "hum taken off" : "hum left")}
        >
          {hum && (
            <>
              <Choice label="Mains" value={String(hum.mains_hz ?? "")} options={[["", "as heard"], ["50", "50 Hz"], ["60", "60 Hz"]]} onSave={(mains) => restore({ hum: { ...hum, mains_hz: mains ? (Number(mains) as 50 | 60) : null } }, "mains of the hum")} />
              <Figure label="Harmonics" value={hum.harmonics ?? 24} unit="" min={1} max={40} onSave={(harmonics) => restore({ hum: { ...hum, harmonics: Math.round(harmonics) } }, "harmonics of the hum")} />
            </>
          )}
        </StepBox>
        <StepBox
          title="Hiss"
          told={hiss && state?.noise_from_sample != null ? `print from ${(state.noise_from_sample / rateOf(side)).toFixed(1)} s` : "steady noise, from where it is quietest"}
          on={!!hiss}
          onToggle={(on) => restore({ hiss: on ? { reduction_db: 9 } : null }, on ? "hiss reduced" : "hiss left")}
        >
          {hiss && <Figure label="Reduction" shows="by at most" value={hiss.reduction_db ?? 9} unit="dB" min={1} max={30} onSave={(reduction_db) => restore({ hiss: { ...hiss, reduction_db } }, `hiss reduced by ${reduction_db} dB`)} />}
        </StepBox>
      </div>
      <div>
        <StepBox
          title="Curve"
          told={recurve ? "undone, and the right one applied" : "played with another than it was cut for"}
          on={!!recurve}
          onToggle={(on) => restore({ recurve: on ? { played_with: curve("microgroove"), cut_with: curve("flat") } : null }, on ? "curve put right" : "curve left")}
        >
          {recurve && (
            <>
              <Choice label="Played with" value={recurve.played_with?.name ?? "microgroove"} options={curveOptions} onSave={(name) => restore({ recurve: { ...recurve, played_with: curve(name) } }, `played with ${name}`)} />
              <Choice label="Cut with" value={recurve.cut_with?.name ?? "flat"} options={curveOptions} onSave={(name) => restore({ recurve: { ...recurve, cut_with: curve(name) } }, `cut with ${name}`)} />
            </>
          )}
        </StepBox>
        <StepBox title="Rumble" told="below the music" on={!!rumble} onToggle={(on) => restore({ rumble: on ? { below_hz: 30, vertical_below_hz: null } : null }, on ? "rumble cut" : "rumble left")}>
          {rumble && (
            <>
              <Figure label="Cut below" value={rumble.below_hz ?? 30} unit="Hz" min={10} max={200} onSave={(below_hz) => restore({ rumble: { ...rumble, below_hz } }, `rumble cut below ${below_hz} Hz`)} />
              <Tick label="vertical part too, below" on={rumble.vertical_below_hz != null} onSave={(on) => restore({ rumble: { ...rumble, vertical_below_hz: on ? 120 : null } }, on ? "vertical part cut" : "vertical part left")} />
              {rumble.vertical_below_hz != null && <Figure label="Vertical part below" shows="" value={rumble.vertical_below_hz} unit="Hz" min={20} max={500} onSave={(hz) => restore({ rumble: { ...rumble, vertical_below_hz: hz } }, `vertical part cut below ${hz} Hz`)} />}
            </>
          )}
        </StepBox>
        <Equaliser bands={bands} repairing={repairing} />
        <StepBox title="Speed" told={ratio !== 1 ? `${((ratio - 1) * 100).toFixed(2).replace("-", "−")} %` : known ? `the tracks say ×${known.toFixed(4)}` : "as it was played"} on={ratio !== 1} onToggle={(on) => restore({ speed_ratio: on ? (known ?? 78.26 / 45) : 1 }, on ? "speed put right" : "speed left")}>
          <Figure label="Ratio" value={Number(ratio.toFixed(6))} unit="times" min={0.2} max={5} onSave={(speed_ratio) => restore({ speed_ratio }, `speed times ${speed_ratio}`)} />
          <Choice
            label="A known case"
            shows=""
            value=""
            options={[["", "a known case"], ...(known ? [[String(known), `as the tracks say, ×${known.toFixed(4)}`] as const] : []), ...SPEEDS.map(([name, value]) => [String(value), name] as const)]}
            onSave={(value) => value && restore({ speed_ratio: Number(value) }, `speed times ${Number(value).toFixed(4)}`)}
          />
          <ByPitch ratio={ratio} onSave={(speed_ratio) => restore({ speed_ratio }, "speed by its pitch")} />
        </StepBox>
        <LevelStep level={level ?? null} gainDb={state?.gain_db ?? null} repairing={repairing} />
      </div>
    </div>
  );
}

/** The speed by a tone that is heard at one pitch and belongs at another. */
function ByPitch({ ratio, onSave }: { ratio: number; onSave: (ratio: number) => void }) {
  const [heard, setHeard] = useState(440);
  const [belongs, setBelongs] = useState(440);
  // What is heard is heard at the speed that is set already.
  const wanted = (ratio * belongs) / heard;
  return (
    <span className="flex flex-wrap items-center gap-x-3">
      <Figure label="A tone is heard at" value={heard} unit="Hz" min={16} max={8000} onSave={setHeard} />
      <Figure label="It belongs at" shows="and belongs at" value={belongs} unit="Hz" min={16} max={8000} onSave={setBelongs} />
      <button type="button" className="press !px-1.5 !py-0" disabled={heard === belongs || wanted < 0.2 || wanted > 5} onClick={() => onSave(Number(wanted.toFixed(7)))}>Bring it there</button>
    </span>
  );
}

const rateOf = (side: Side): number => side.takes.find((one) => one.id === side.chosen_take_id)?.format.rate_hz ?? 44_100;

function ChannelSteps({ side, channels, repairing }: { side: Side; channels: Required<Channels>; repairing: Repairing }) {
  const measure = useMutation({ mutationFn: () => answer(api.GET("/api/sides/{side_id}/channels", { params: { path: { side_id: side.id } } })) });
  const isAtRest = JSON.stringify(channels) === JSON.stringify({ ...NO_CHANNELS, ...channels, ...NO_CHANNELS });
  const set = (change: Partial<Channels>, saying: string) => repairing.restore({ channels: { ...channels, ...change } }, saying);
  const found = measure.data;
  return (
    <StepBox title="Channels" told="swap, polarity, balance, azimuth, mono" on={!isAtRest || measure.isPending || !!found} onToggle={(on) => (on ? measure.mutate() : (measure.reset(), set(NO_CHANNELS, "channels as recorded")))}>
      <Choice label="Channels become" shows="" value={channels.mono} options={MONO} onSave={(mono) => set({ mono }, mono === "off" ? "two channels" : `mono, from ${mono}`)} />
      <Tick label="swap" on={channels.swap} onSave={(swap) => set({ swap }, swap ? "channels swapped" : "channels not swapped")} />
      <Tick label="invert left" on={channels.invert_left} onSave={(invert_left) => set({ invert_left }, "polarity of the left")} />
      <Tick label="invert right" on={channels.invert_right} onSave={(invert_right) => set({ invert_right }, "polarity of the right")} />
      <Figure label="Balance" value={channels.balance_db} unit="dB" min={-12} max={12} onSave={(balance_db) => set({ balance_db }, "balance")} />
      <Figure label="Right held back" value={channels.delay_right_us} unit="µs" min={-2000} max={2000} onSave={(delay_right_us) => set({ delay_right_us }, "azimuth")} />
      {measure.isPending && <span className="quiet">measuring</span>}
      {found && (
        <span className="quiet">
          {found.delay_us == null ? "The channels are too different to tell their delay" : `The right lags by ${found.delay_us.toFixed(1).replace("-", "−")} µs`}
          {found.balance_db == null ? "" : `, the left is ${decibels(found.balance_db)} dB louder`}.{" "}
          {found.delay_us != null && (
            <button type="button" className="text-primary underline-offset-2 hover:underline" onClick={() => set({ delay_right_us: Number((-(found.delay_us ?? 0)).toFixed(2)), balance_db: channels.balance_db }, "azimuth as measured")}>
              Put the delay right
            </button>
          )}
        </span>
      )}
    </StepBox>
  );
}

function Equaliser({ bands, repairing }: { bands: readonly Band[]; repairing: Repairing }) {
  const set = (next: Band[], saying: string) => repairing.restore({ equaliser: next }, saying);
  const change = (index: number, part: Partial<Band>) => set(bands.map((band, k) => (k === index ? { ...band, ...part } : band)), `equaliser, band ${index + 1}`);
  return (
    <StepBox title="Equaliser" told="its curve is drawn above" on={bands.length > 0} onToggle={(on) => set(on ? [{ shape: "bell", hz: 1000, gain_db: -3, q: 1 }] : [], on ? "equaliser on" : "equaliser off")}>
      {bands.map((band, index) => (
        <div key={index} className="flex flex-wrap items-center gap-x-2">
          <Choice label={`Shape of band ${index + 1}`} shows="" value={band.shape ?? "bell"} options={SHAPES} onSave={(shape) => change(index, { shape })} />
          <Figure label={`Frequency of band ${index + 1}`} shows="" value={band.hz} unit="Hz" min={6} max={48_000} onSave={(hz) => change(index, { hz })} />
          <Figure label={`Gain of band ${index + 1}`} shows="" value={band.gain_db} unit="dB" min={-30} max={30} onSave={(gain_db) => change(index, { gain_db })} />
          <Figure label={`Q of band ${index + 1}`} shows="Q" value={band.q ?? 1} unit="" min={0.1} max={50} onSave={(q) => change(index, { q })} />
          <button type="button" aria-label={`Remove band ${index + 1}`} className="text-primary" onClick={() => set(bands.filter((_, k) => k !== index), `band ${index + 1} removed`)}><X size={14} aria-hidden /></button>
        </div>
      ))}
      <button type="button" className="press !px-1.5 !py-0" onClick={() => set([...bands, { shape: "bell", hz: 1000, gain_db: 0, q: 1 }], "band added")}><Plus size={13} aria-hidden /> Band</button>
    </StepBox>
  );
}

function LevelStep({ level, gainDb, repairing }: { level: Level | null; gainDb: number | null; repairing: Repairing }) {
  const set = (next: Level | null, saying: string) => repairing.restore({ level: next }, saying);
  const aim = level?.to_lufs != null ? "loudness" : level?.to_peak_dbtp != null ? "peak" : "gain";
  const base = { gain_db: 0, to_peak_dbtp: null, to_lufs: null, remove_dc: level?.remove_dc ?? false, per: level?.per ?? ("side" as const) };
  const choose = (next: (typeof AIMS)[number][0]) =>
    set({ ...base, ...(next === "peak" ? { to_peak_dbtp: -1 } : next === "loudness" ? { to_lufs: -18 } : {}) }, `level ${AIMS.find(([name]) => name === next)?.[1]}`);
  return (
    <StepBox title="Level" told={level && gainDb !== null ? `${gainDb >= 0 ? "+" : ""}${decibels(gainDb)} dB` : "never above −0.3 dBTP"} on={!!level} onToggle={(on) => set(on ? { ...base, to_peak_dbtp: -1 } : null, on ? "level raised to a peak of −1 dBTP" : "level left")}>
      {level && (
        <>
          <Choice label="Level is set" shows="" value={aim} options={AIMS} onSave={choose} />
          {aim === "gain" && <Figure label="Gain" value={level.gain_db ?? 0} unit="dB" min={-60} max={60} onSave={(gain_db) => set({ ...base, gain_db }, `gain ${gain_db} dB`)} />}
          {aim === "peak" && <Figure label="Peak" value={level.to_peak_dbtp ?? -1} unit="dBTP" min={-60} max={0} onSave={(to_peak_dbtp) => set({ ...base, to_peak_dbtp }, `peak ${to_peak_dbtp} dBTP`)} />}
          {aim === "loudness" && <Figure label="Loudness" value={level.to_lufs ?? -18} unit="LUFS" min={-60} max={0} onSave={(to_lufs) => set({ ...base, to_lufs }, `loudness ${to_lufs} LUFS`)} />}
          <Choice label="One gain for" value={level.per ?? "side"} options={[["side", "this side"], ["album", "all sides alike"]]} onSave={(per) => set({ ...level, per }, per === "album" ? "one gain for all sides" : "a gain of its own")} />
          <Tick label="remove offset" on={level.remove_dc ?? false} onSave={(remove_dc) => set({ ...level, remove_dc }, remove_dc ? "offset removed" : "offset left")} />
        </>
      )}
    </StepBox>
  );
}
