import type { Schemas, Transfer } from "../api/client";
import type { TransferDoing } from "./useTransfer";

const TROUBLES = new Set(["bump", "drop a block", "drop a block unseen", "repeat a block"]);

/** The hands at a simulated deck: what one would do at a real one. */
export function DeckControls({ transfer, doing }: { transfer: Transfer; doing: TransferDoing }) {
  const ways = transfer.controls.filter((one) => !TROUBLES.has(one.name));
  const troubles = transfer.controls.filter((one) => TROUBLES.has(one.name));
  const operate = (control: string, value = "") => doing.operate.mutate({ control, value });
  return (
    <>
      <h2 className="margin-heading">At the simulated deck</h2>
      {transfer.playing && <p className="quiet mb-1">On: {transfer.playing}</p>}
      <div className="flex flex-wrap gap-1.5">
        {ways.map((one) => (
          <One key={one.name} control={one} onDo={operate} />
        ))}
      </div>
      <details className="mt-2">
        <summary className="cursor-pointer text-primary">Make trouble</summary>
        <div className="mt-1.5 flex flex-wrap gap-1.5">
          {troubles.map((one) => (
            <One key={one.name} control={one} onDo={operate} />
          ))}
        </div>
      </details>
    </>
  );
}

function One({ control, onDo }: { control: Schemas["Control"]; onDo: (name: string, value?: string) => void }) {
  if (!control.choices?.length)
    return (
      <button
        type="button"
        className="press !px-2 !py-0.5"
        disabled={control.enabled === false}
        onClick={() => onDo(control.name)}
      >
        {control.label}
      </button>
    );
  return (
    <label className="flex w-full items-center gap-2">
      <span className="quiet flex-1">{control.label}</span>
      <select
        className="max-w-36 border border-base-300 bg-base-100 px-1.5 py-0.5"
        value={control.value}
        disabled={control.enabled === false}
        onChange={(event) => onDo(control.name, event.target.value)}
      >
        {control.choices.map((choice) => (
          <option key={choice}>{choice}</option>
        ))}
      </select>
    </label>
  );
}
