import { answer, api, type ArtRule } from "../api/client";
import { NumberInput } from "../ui/NumberInput";
import { useDraft } from "../words/useDraft";
import { useLookAgain } from "./declaring";

const ART_LABELS: Record<keyof ArtRule, string> = {
  embed: "Within the file",
  most_px: "At most, pixels",
  most_kb: "At most, kB",
  square: "Shape",
  beside: "Beside it too",
  beside_name: "Name of the picture beside",
};

/** What pictures files have, and which lie beside them. */
export function ArtworkRule({ declared }: { declared: ArtRule }) {
  const {
    draft: rule,
    set,
    save,
    canSave,
    trouble,
  } = useDraft(
    declared,
    (wanted, seen) => answer(api.PUT("/api/v1/art-rule", { body: { rule: wanted, seen } })),
    useLookAgain(),
    ART_LABELS,
  );
  return (
    <form
      className="flex flex-wrap items-end gap-x-5 gap-y-2 text-[13px]"
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <label>
        <span className="quiet block">Within the file</span>
        <select
          className="field"
          value={rule.embed}
          onChange={(event) => set({ embed: event.target.value as ArtRule["embed"] })}
        >
          <option value="front">the front</option>
          <option value="all">front and all others</option>
          <option value="none">nothing</option>
        </select>
      </label>
      <label>
        <span className="quiet block">At most, pixels</span>
        <NumberInput
          className="field figure w-20"
          min={200}
          max={10_000}
          whole
          value={rule.most_px}
          onChange={(most_px) => set({ most_px })}
        />
      </label>
      <label>
        <span className="quiet block">At most, kB</span>
        <NumberInput
          className="field figure w-20"
          min={20}
          max={20_000}
          whole
          value={rule.most_kb}
          onChange={(most_kb) => set({ most_kb })}
        />
      </label>
      <label>
        <span className="quiet block">Shape</span>
        <select
          className="field"
          value={rule.square}
          onChange={(event) => set({ square: event.target.value as ArtRule["square"] })}
        >
          <option value="as it is">as it is</option>
          <option value="crop border">border cut to a square</option>
        </select>
      </label>
      <label className="flex items-center gap-2 pb-1.5">
        <input type="checkbox" checked={rule.beside} onChange={(event) => set({ beside: event.target.checked })} />
        beside it too, as
      </label>
      <label>
        <span className="sr-only">Name of the picture beside</span>
        <input
          className="field w-32"
          value={rule.beside_name}
          disabled={!rule.beside}
          onChange={(event) => set({ beside_name: event.target.value })}
        />
      </label>
      <button className="press" disabled={!canSave}>
        Save rule
      </button>
      {trouble && <div className="w-full">{trouble}</div>}
    </form>
  );
}
