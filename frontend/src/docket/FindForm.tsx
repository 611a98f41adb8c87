import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import type { FoundTracks, Knowledge, PlanView } from "../api/client";
import { trackPreviewQuery } from "../api/queries";
import { NumberInput } from "../ui/NumberInput";
import { plural, readClock, shortClock } from "../words/figures";
import type { usePlanEditing } from "./usePlanEditing";

interface Props {
  sideId: number;
  plan: PlanView;
  carrierFormat: string;
  editing: ReturnType<typeof usePlanEditing>;
  /** What would be found, while sliders are moved; null when nothing is tried out. */
  onTry: (found: FoundTracks | null) => void;
}

type Known = "durations" | "count" | "nothing";
type Settings = Knowledge["settings"];

/** Where nothing is known: what usually parts the tracks of a carrier (common practice). */
const USUAL: Record<string, Settings> = {
  LP: { min_gap_s: 0.5, min_track_s: 20, sensitivity: 1 },
  single: { min_gap_s: 0.5, min_track_s: 60, sensitivity: 1 },
  "78": { min_gap_s: 1, min_track_s: 60, sensitivity: 0.8 },
  cassette: { min_gap_s: 0.8, min_track_s: 20, sensitivity: 1 },
};
const SLIDERS: readonly [keyof Settings, string, number, number, number, string][] = [
  ["min_gap_s", "Shortest gap", 0, 5, 0.1, "s"],
  ["min_track_s", "Shortest track", 5, 180, 5, "s"],
  ["sensitivity", "Faint sounds count", 0.3, 3, 0.1, "×"],
];

/** What is known of a side's tracks, and the machine asked to find them with it. */
export function FindForm({ sideId, plan, carrierFormat, editing, onTry }: Props) {
  const stated = plan.plan.found.catalogue_s;
  const [known, setKnown] = useState<Known>(stated.length ? "durations" : "count");
  const [count, setCount] = useState<number | null>(null);
  const [text, setText] = useState(() => stated.map((value) => (value === null ? "-" : shortClock(value))).join("\n"));
  const [settings, setSettings] = useState<Settings>(
    USUAL[carrierFormat] ?? { min_gap_s: 0.5, min_track_s: 10, sensitivity: 1 },
  );
  const [keep, setKeep] = useState(true);
  const [trying, setTrying] = useState(false);
  const durations = readDurations(text);
  const faulty = durations.findIndex((value) => Number.isNaN(value));
  const usual = { min_gap_s: 0.5, min_track_s: 10, sensitivity: 1 };
  const knowledge: Knowledge = {
    keep,
    settings: known === "nothing" ? settings : usual,
    count: known === "count" ? count : null,
    durations_s: known === "durations" && durations.length ? durations : null,
  };
  const tried = useQuery({
    ...trackPreviewQuery(sideId, plan.version, knowledge),
    enabled: trying && known === "nothing",
  });
  const shown = trying && known === "nothing" ? (tried.data ?? null) : null;
  useEffect(() => {
    onTry(shown);
    return () => onTry(null);
  }, [shown, onTry]);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        setTrying(false);
        editing.find.mutate(knowledge);
      }}
    >
      <h2 className="margin-heading">Find the tracks</h2>
      <label className="mb-2 flex items-center gap-2">
        <span className="quiet">knowing</span>
        <select
          aria-label="What is known of the tracks"
          className="flex-1 border border-base-300 bg-base-100 px-1 py-0.5"
          value={known}
          onChange={(event) => setKnown(event.target.value as Known)}
        >
          <option value="durations">their durations</option>
          <option value="count">how many there are</option>
          <option value="nothing">nothing</option>
        </select>
      </label>
      {known === "durations" && (
        <textarea
          aria-label="Durations as the catalogue gives them"
          rows={5}
          className="figure w-full border border-base-300 bg-base-100 px-2 py-1"
          placeholder={"3:42\n4:05\n- where none is given"}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      )}
      {known === "durations" && faulty >= 0 && (
        <p className="text-error">
          Line {faulty + 1} is no time: write minutes and seconds, as 3:42, or - where none is given.
        </p>
      )}
      {known === "count" && (
        <label className="flex items-center gap-2">
          <NumberInput
            label="Tracks on the sleeve"
            placeholder={String(plan.plan.tracks?.length || "any")}
            className="figure w-16 border border-base-300 bg-base-100 px-2 py-1"
            optional
            min={1}
            max={99}
            whole
            value={count}
            onChange={setCount}
          />
          tracks on this side
        </label>
      )}
      {known === "nothing" &&
        SLIDERS.map(([name, label, min, max, stepBy, unit]) => (
          <label key={name} className="mb-1 grid grid-cols-[1fr_auto] items-center">
            <span className="quiet">{label}</span>
            <span className="figure">
              {name === "min_track_s" ? settings[name] : settings[name].toFixed(1)} {unit}
            </span>
            <input
              type="range"
              className="col-span-2 accent-primary"
              {...{ min, max, step: stepBy }}
              value={settings[name]}
              onChange={(event) => {
                setTrying(true);
                setSettings({ ...settings, [name]: Number(event.target.value) });
              }}
            />
          </label>
        ))}
      <label className="mt-1 flex items-center gap-2">
        <input type="checkbox" checked={keep} onChange={(event) => setKeep(event.target.checked)} /> Leave what was set
        by hand
      </label>
      <div className="mt-2 flex items-center gap-2">
        <button
          type="submit"
          className="press"
          disabled={editing.find.isPending || (known === "durations" && faulty >= 0)}
        >
          Find
        </button>
        {shown && <span data-testid="tried">{plural(shown.tracks.length, "track")}, as drawn</span>}
      </div>
    </form>
  );
}

/** Seconds of each line; null for a dash, NaN for what is no time. Empty lines do not count. */
export function readDurations(text: string): (number | null)[] {
  return text
    .split(/[\n;]+/)
    .map((line) => line.trim())
    .filter((line) => line !== "")
    .map((line) => (/^[-–?]$/.test(line) ? null : readClock(/[\d:.,]+$/.exec(line)?.[0] ?? line)));
}
