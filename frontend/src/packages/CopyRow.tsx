import { X } from "lucide-react";

import type { CopyForm, CopyOrder } from "../api/client";
import { NumberInput } from "../ui/NumberInput";
import type { Bounds } from "../ui/numbers";

const LEVELLINGS: [CopyOrder["levelling"], string][] = [
  ["tags", "left as it is, loudness in tags"],
  ["as it is", "left as it is, no tags"],
  ["to a loudness", "brought to a loudness"],
  ["to a peak", "brought to a peak"],
];
const RATES = [44_100, 48_000, 88_200, 96_000, 192_000];

/** What a format begins with when it is chosen. */
export function newCopy(kind: CopyOrder["kind"], form: CopyForm): CopyOrder {
  const kbit = form.most_kbit_s > 0 ? 192 : null;
  return {
    kind,
    kbit_s: kind === "Opus" ? 128 : kbit,
    quality: kbit === null && form.quality ? 6 : null,
    bits: null,
    most_rate_hz: 48_000,
    levelling: "tags",
    target_lufs: -18,
    ceiling_dbtp: -1,
    most_art_px: 600,
  };
}

/** One set of access copies of a profile: its format, how good, how loud. */
export function CopyRow({
  order,
  forms,
  onChange,
  onRemove,
}: {
  order: CopyOrder;
  forms: Record<string, CopyForm>;
  onChange: (order: CopyOrder) => void;
  onRemove: () => void;
}) {
  const form = forms[order.kind];
  if (!form) return null;
  const set = (change: Partial<CopyOrder>) => onChange({ ...order, ...change });
  const byQuality = order.quality !== null && order.quality !== undefined;
  return (
    <fieldset
      aria-label={`Copies as ${order.kind}`}
      className="grid grid-cols-[auto_1fr_auto] items-start gap-x-4 gap-y-1.5 border-t border-base-300 py-2.5"
    >
      <select
        aria-label="Format"
        className="field"
        value={order.kind}
        onChange={(event) =>
          onChange(newCopy(event.target.value as CopyOrder["kind"], forms[event.target.value] ?? form))
        }
      >
        {Object.keys(forms).map((kind) => (
          <option key={kind}>{kind}</option>
        ))}
      </select>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5">
        {form.most_kbit_s > 0 && form.quality && (
          <select
            aria-label="Made by"
            className="field"
            value={byQuality ? "quality" : "rate"}
            onChange={(event) =>
              set(event.target.value === "quality" ? { quality: 7, kbit_s: null } : { kbit_s: 192, quality: null })
            }
          >
            <option value="rate">constant rate</option>
            <option value="quality">quality</option>
          </select>
        )}
        {form.most_kbit_s > 0 && !byQuality && (
          <Figure label="kbit/s" min={8} whole value={order.kbit_s ?? 192} onChange={(kbit_s) => set({ kbit_s })} />
        )}
        {form.quality && byQuality && (
          <Figure label="of 10" min={0} max={10} value={order.quality ?? 6} onChange={(quality) => set({ quality })} />
        )}
        {form.lossless && (
          <label className="flex items-center gap-1.5">
            <select
              aria-label="Word length"
              className="field"
              value={order.bits ?? ""}
              onChange={(event) => set({ bits: event.target.value ? (Number(event.target.value) as 16 | 24) : null })}
            >
              <option value="">the masters’ own</option>
              <option value="16">16</option>
              <option value="24">24</option>
            </select>
            bit
          </label>
        )}
        <label className="flex items-center gap-1.5">
          at most
          <select
            aria-label="Highest rate"
            className="field figure"
            value={order.most_rate_hz}
            onChange={(event) => set({ most_rate_hz: Number(event.target.value) })}
          >
            {RATES.map((rate) => (
              <option key={rate} value={rate}>
                {rate / 1000}
              </option>
            ))}
          </select>
          kHz
        </label>
        <label className="flex items-center gap-1.5">
          its level
          <select
            aria-label="Level"
            className="field"
            value={order.levelling}
            onChange={(event) => set({ levelling: event.target.value as CopyOrder["levelling"] })}
          >
            {LEVELLINGS.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        </label>
        {order.levelling === "to a loudness" && (
          <Figure
            label="LUFS"
            min={-40}
            max={-5}
            value={order.target_lufs}
            onChange={(target_lufs) => set({ target_lufs })}
          />
        )}
        {order.levelling.startsWith("to ") && (
          <Figure label="dBTP at most" value={order.ceiling_dbtp} onChange={(ceiling_dbtp) => set({ ceiling_dbtp })} />
        )}
        <label className="flex items-center gap-1.5">
          <NumberInput
            className="field figure w-20 text-right"
            optional
            placeholder="any"
            min={64}
            max={8_000}
            whole
            value={order.most_art_px ?? null}
            onChange={(most_art_px) => set({ most_art_px })}
          />
          pixels of cover at most
        </label>
        {form.gapless && <p className="quiet basis-full text-[12px]">Played without gaps: {form.gapless}.</p>}
      </div>
      <button type="button" className="text-primary" aria-label={`No copies as ${order.kind}`} onClick={onRemove}>
        <X size={16} aria-hidden />
      </button>
    </fieldset>
  );
}

function Figure({ label, ...number }: Bounds & { label: string; value: number; onChange: (value: number) => void }) {
  return (
    <label className="flex items-center gap-1.5">
      <NumberInput label={label} className="field figure w-20 text-right" {...number} />
      {label}
    </label>
  );
}
