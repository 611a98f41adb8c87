import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Docket, Problem, type Side, type Take } from "../api/client";
import { readClock } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { sidesOf } from "./useDocket";

/** For a take that holds the next side too: where that one begins. Shown while that side has no take of its own. */
export function TurnOverField({ docket, side, take }: { docket: Docket; side: Side; take: Take }) {
  const sides = sidesOf(docket);
  const next = sides[sides.indexOf(side) + 1];
  const [text, setText] = useState("");
  const divide = useMutation({
    mutationFn: async () => {
      const seconds = readClock(text);
      if (Number.isNaN(seconds)) throw new Problem(`“${text}” is no time`, null, "Write minutes and seconds, as 21:30");
      await answer(
        api.POST("/api/v1/takes/{take_id}/turn-over", {
          params: { path: { take_id: take.id } },
          body: { other_side_id: next?.id ?? 0, at_sample: Math.round(seconds * take.format.rate_hz) },
        }),
      );
    },
  });
  if (!next || next.takes.length > 0 || !take.format.lossless) return null;
  return (
    <form
      className="mt-1 flex items-center gap-2 text-[12.5px]"
      onSubmit={(event) => {
        event.preventDefault();
        divide.mutate();
      }}
    >
      <label className="flex items-center gap-2">
        <span className="quiet">Side {next.letter} is in this take too, from</span>
        <input
          className="figure w-20 border border-base-300 bg-base-100 px-1.5 py-0.5"
          placeholder="m:ss"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      <button type="submit" className="press !px-2 !py-0" disabled={!text.trim() || divide.isPending}>
        Divide it there
      </button>
      {divide.error && <Trouble error={divide.error} />}
    </form>
  );
}
