import { Plus, X } from "lucide-react";

import type { Restoration } from "../api/client";
import { Choice, Figure, StepBox } from "./fields";
import type { Repairing } from "./useRepairing";

type Band = NonNullable<Restoration["equaliser"]>[number];

const SHAPES = [
  ["bell", "bell"],
  ["low shelf", "low shelf"],
  ["high shelf", "high shelf"],
] as const;

/** Bands of the equaliser, in their order. */
export function Equaliser({ bands, repairing }: { bands: readonly Band[]; repairing: Repairing }) {
  const set = (next: Band[], saying: string) => repairing.restore({ equaliser: next }, saying);
  const change = (index: number, part: Partial<Band>) =>
    set(
      bands.map((band, k) => (k === index ? { ...band, ...part } : band)),
      `equaliser, band ${index + 1}`,
    );
  return (
    <StepBox
      title="Equaliser"
      told="its curve is drawn above"
      on={bands.length > 0}
      onToggle={(on) =>
        set(on ? [{ shape: "bell", hz: 1000, gain_db: -3, q: 1 }] : [], on ? "equaliser on" : "equaliser off")
      }
    >
      {bands.map((band, index) => (
        <div key={index} className="flex flex-wrap items-center gap-x-2">
          <Choice
            label={`Shape of band ${index + 1}`}
            shows=""
            value={band.shape ?? "bell"}
            options={SHAPES}
            onSave={(shape) => change(index, { shape })}
          />
          <Figure
            label={`Frequency of band ${index + 1}`}
            shows=""
            value={band.hz}
            unit="Hz"
            min={6}
            max={48_000}
            onSave={(hz) => change(index, { hz })}
          />
          <Figure
            label={`Gain of band ${index + 1}`}
            shows=""
            value={band.gain_db}
            unit="dB"
            min={-30}
            max={30}
            onSave={(gain_db) => change(index, { gain_db })}
          />
          <Figure
            label={`Q of band ${index + 1}`}
            shows="Q"
            value={band.q ?? 1}
            unit=""
            min={0.1}
            max={50}
            onSave={(q) => change(index, { q })}
          />
          <button
            type="button"
            aria-label={`Remove band ${index + 1}`}
            className="text-primary"
            onClick={() =>
              set(
                bands.filter((_, k) => k !== index),
                `band ${index + 1} removed`,
              )
            }
          >
            <X size={14} aria-hidden />
          </button>
        </div>
      ))}
      <button
        type="button"
        className="press !px-1.5 !py-0"
        onClick={() => set([...bands, { shape: "bell", hz: 1000, gain_db: 0, q: 1 }], "band added")}
      >
        <Plus size={13} aria-hidden /> Band
      </button>
    </StepBox>
  );
}
