import type { Restoration } from "../api/client";
import { Choice, Figure, StepBox, Tick } from "./fields";
import { decibels } from "./words";
import type { Repairing } from "./useRepairing";

type Level = NonNullable<Restoration["level"]>;

const AIMS = [
  ["gain", "by a gain"],
  ["peak", "to a peak"],
  ["loudness", "to a loudness"],
] as const;

/** The level of a side: by a gain, to a peak or to a loudness. */
export function LevelStep({
  level,
  gainDb,
  repairing,
}: {
  level: Level | null;
  gainDb: number | null;
  repairing: Repairing;
}) {
  const set = (next: Level | null, saying: string) => repairing.restore({ level: next }, saying);
  const aim = level?.to_lufs != null ? "loudness" : level?.to_peak_dbtp != null ? "peak" : "gain";
  const base = {
    gain_db: 0,
    to_peak_dbtp: null,
    to_lufs: null,
    remove_dc: level?.remove_dc ?? false,
    per: level?.per ?? ("side" as const),
  };
  const choose = (next: (typeof AIMS)[number][0]) =>
    set(
      { ...base, ...(next === "peak" ? { to_peak_dbtp: -1 } : next === "loudness" ? { to_lufs: -18 } : {}) },
      `level ${AIMS.find(([name]) => name === next)?.[1]}`,
    );
  return (
    <StepBox
      title="Level"
      told={level && gainDb !== null ? `${gainDb >= 0 ? "+" : ""}${decibels(gainDb)} dB` : "never above −0.3 dBTP"}
      on={!!level}
      onToggle={(on) =>
        set(on ? { ...base, to_peak_dbtp: -1 } : null, on ? "level raised to a peak of −1 dBTP" : "level left")
      }
    >
      {level && (
        <>
          <Choice label="Level is set" shows="" value={aim} options={AIMS} onSave={choose} />
          {aim === "gain" && (
            <Figure
              label="Gain"
              value={level.gain_db ?? 0}
              unit="dB"
              min={-60}
              max={60}
              onSave={(gain_db) => set({ ...base, gain_db }, `gain ${gain_db} dB`)}
            />
          )}
          {aim === "peak" && (
            <Figure
              label="Peak"
              value={level.to_peak_dbtp ?? -1}
              unit="dBTP"
              min={-60}
              max={0}
              onSave={(to_peak_dbtp) => set({ ...base, to_peak_dbtp }, `peak ${to_peak_dbtp} dBTP`)}
            />
          )}
          {aim === "loudness" && (
            <Figure
              label="Loudness"
              value={level.to_lufs ?? -18}
              unit="LUFS"
              min={-60}
              max={0}
              onSave={(to_lufs) => set({ ...base, to_lufs }, `loudness ${to_lufs} LUFS`)}
            />
          )}
          <Choice
            label="One gain for"
            value={level.per ?? "side"}
            options={[
              ["side", "this side"],
              ["album", "all sides alike"],
            ]}
            onSave={(per) => set({ ...level, per }, per === "album" ? "one gain for all sides" : "a gain of its own")}
          />
          <Tick
            label="remove offset"
            on={level.remove_dc ?? false}
            onSave={(remove_dc) => set({ ...level, remove_dc }, remove_dc ? "offset removed" : "offset left")}
          />
        </>
      )}
    </StepBox>
  );
}
