import { clsx } from "clsx";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { spectraQuery } from "../api/queries";
import { useSideSound } from "../docket/sideSound";
import { UndoRedo } from "../docket/UndoRedo";
import { firstNumber } from "../docket/useDocket";
import { useCommands } from "../frame/commands";
import { Desk } from "../frame/Desk";
import { useTheme } from "../frame/theme";
import { player, useHearing } from "../player/player";
import { clock } from "../words/figures";
import { Trouble } from "../words/Trouble";
import type { ViewProps } from "./DamageView";
import { SoundSteps } from "./SoundSteps";
import { SpectrumPlot } from "./SpectrumPlot";
import { Standing } from "./Standing";
import { useLearning } from "./useLearning";
import { useRepairing } from "./useRepairing";

const SEEN_S = 20;

/** Hum, hiss, rumble, curve, equaliser, speed, channels, level: each step with its findings, over the spectrum. */
export function SoundView({ docket, side, take, plan: planView, title, source }: ViewProps) {
  const theme = useTheme();
  const hearing = useHearing();
  const repairing = useRepairing(docket, side, planView);
  const { played, state, error } = useSideSound(docket, side, take);
  const { rate_hz: rateHz, samples } = source.index;
  const tracks = repairing.plan.tracks ?? [];
  const [at, setAt] = useState(0);
  useLearning(state, repairing);

  const track = tracks[at];
  const middle = track ? (track.start_sample + track.end_sample) / 2 : samples / 2;
  const half = Math.min((SEEN_S * rateHz) / 2, track ? (track.end_sample - track.start_sample) / 2 : samples / 2);
  const [from, to] = [Math.max(0, Math.round(middle - half)), Math.min(samples, Math.round(middle + half))];
  const spectra = useQuery({
    ...spectraQuery(side.id, state?.version ?? planView.version, from, to),
    enabled: planView.at_rest || (state !== null && state.lacks !== "scan"),
  });
  const first = firstNumber(docket, side);
  useCommands([
    {
      label: "Play the stretch, or stop",
      keys: ["Space"],
      perform: () => (hearing?.playing ? player.stop() : player.play(played, from, to)),
    },
    { label: "Previous track", keys: [","], perform: () => setAt(Math.max(0, at - 1)), repeats: true },
    { label: "Next track", keys: ["."], perform: () => setAt(Math.min(tracks.length - 1, at + 1)), repeats: true },
    { label: "Undo", keys: ["Ctrl+Z"], perform: () => repairing.editing.undo.mutate(), disabled: !planView.undo },
    {
      label: "Redo",
      keys: ["Ctrl+Shift+Z", "Ctrl+Y"],
      perform: () => repairing.editing.redo.mutate(),
      disabled: !planView.redo,
    },
  ]);
  const trouble = repairing.editing.error ?? repairing.ask.error ?? error ?? spectra.error;
  return (
    <Desk
      title={title}
      margin={
        <div className="flex flex-col">
          <UndoRedo plan={planView} editing={repairing.editing} />
          <h2 className="margin-heading !mt-0">What is seen and heard</h2>
          <ul>
            {tracks.map((one, index) => (
              <li key={one.key}>
                <button
                  type="button"
                  aria-pressed={index === at}
                  className={clsx(
                    "flex w-full gap-2 px-1 py-[3px] text-left",
                    index === at ? "bg-base-100 shadow-[inset_3px_0_0_var(--color-error)]" : "hover:bg-base-100",
                  )}
                  onClick={() => {
                    setAt(index);
                    if (hearing?.playing) player.play(played, one.start_sample, one.end_sample);
                  }}
                >
                  <span className="figure w-6 text-right">{first + index}</span>
                  <span className="min-w-0 flex-1 truncate">
                    {side.tracks.find((line) => line.key === one.key)?.title || <span className="quiet">untitled</span>}
                  </span>
                  <span className="figure">{clock(one.end_sample - one.start_sample, rateHz, 0)}</span>
                </button>
              </li>
            ))}
          </ul>
          <p className="quiet mt-2">
            The spectrum is the mean of <span className="figure">{clock(to - from, rateHz, 0)}</span> from{" "}
            <span className="figure">{clock(from, rateHz, 0)}</span> on, in sixths of octaves. Space plays it; 1, 2 and
            3 choose what you listen for.
          </p>
          <Standing state={state} docket={docket} side={side} />
        </div>
      }
    >
      {trouble !== null && trouble !== undefined && <Trouble error={trouble} />}
      <div className="relative">
        <SpectrumPlot spectra={spectra.data ?? null} theme={theme} height={320} />
        {spectra.isFetching && (
          <span className="quiet absolute left-10 top-2 text-[12px]" role="status">
            measuring
          </span>
        )}
      </div>
      <SoundSteps side={side} plan={repairing.plan} state={state} repairing={repairing} />
    </Desk>
  );
}
