import { useState } from "react";

import { Figure } from "./fields";

/** The speed by a tone that is heard at one pitch and belongs at another. */
export function ByPitch({ ratio, onSave }: { ratio: number; onSave: (ratio: number) => void }) {
  const [heard, setHeard] = useState(440);
  const [belongs, setBelongs] = useState(440);
  // What is heard is heard at the speed that is set already.
  const wanted = (ratio * belongs) / heard;
  return (
    <span className="flex flex-wrap items-center gap-x-3">
      <Figure label="A tone is heard at" value={heard} unit="Hz" min={16} max={8000} onSave={setHeard} />
      <Figure
        label="It belongs at"
        shows="and belongs at"
        value={belongs}
        unit="Hz"
        min={16}
        max={8000}
        onSave={setBelongs}
      />
      <button
        type="button"
        className="press !px-1.5 !py-0"
        disabled={heard === belongs || wanted < 0.2 || wanted > 5}
        onClick={() => onSave(Number(wanted.toFixed(7)))}
      >
        Bring it there
      </button>
    </span>
  );
}
