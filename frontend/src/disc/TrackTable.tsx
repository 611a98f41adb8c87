import { clsx } from "clsx";
import { Play } from "lucide-react";

import type { DiscTrack } from "../api/client";
import { sentence } from "../words/Trouble";
import { frameClock } from "./stripLayout";

interface Props {
  tracks: readonly DiscTrack[];
  marked: ReadonlySet<number>;
  onMark: (numbers: ReadonlySet<number>) => void;
  onHear: ((track: DiscTrack) => void) | null;
}

const TONES: Record<string, string> = {
  proven: "text-accent",
  "proven but its edge": "text-accent",
  agreed: "text-warning",
  "read once": "text-warning",
  doubtful: "text-error",
  damaged: "text-error",
};

/** Each track with its two readings, its witnesses, what it is worth, and what to do about it. */
export function TrackTable({ tracks, marked, onMark, onHear }: Props) {
  const toggle = (number: number) => {
    const next = new Set(marked);
    if (!next.delete(number)) next.add(number);
    onMark(next);
  };
  return (
    <section aria-label="Tracks" className="px-5 pb-4">
      <table className="w-full text-[13px]">
        <thead>
          <tr className="rule-b quiet text-left">
            <th className="py-1 pr-2 font-medium">Track</th>
            <th className="font-medium">Length</th>
            <th className="font-medium">First reading</th>
            <th className="font-medium">Second</th>
            <th className="pr-3 text-right font-medium">Again</th>
            <th className="pr-3 text-right font-medium">Bad</th>
            <th className="font-medium">Verdict</th>
            <th aria-label="Hear it" />
          </tr>
        </thead>
        {tracks.map((track) => (
          <tbody key={track.number} aria-label={`Track ${two(track.number)}`} className="rule-b">
            <tr className="align-baseline">
              <td className="py-1 pr-2">
                <label className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className="accent-primary"
                    checked={marked.has(track.number)}
                    onChange={() => toggle(track.number)}
                  />
                  <span className="figure">{two(track.number)}</span>
                  <span className="font-medium">{track.title || <span className="quiet">no title yet</span>}</span>
                </label>
              </td>
              <td className="figure pr-3">{frameClock(track.end_frame - track.first_frame)}</td>
              <td className="figure pr-3">{track.read?.first_crc32 ?? ""}</td>
              <td
                className={clsx(
                  "figure pr-3",
                  track.read?.second_crc32 && track.read.second_crc32 !== track.read.first_crc32 ? "text-warning" : "",
                )}
              >
                {track.read ? (track.read.second_crc32 ?? "none") : ""}
              </td>
              <td className="figure pr-3 text-right">{track.read?.rereads || ""}</td>
              <td className="figure pr-3 text-right text-error">{track.read?.disputed.length || ""}</td>
              <td
                className={clsx(
                  "whitespace-nowrap font-medium",
                  isUnderWay(track) ? "quiet" : (TONES[track.verdict ?? ""] ?? "quiet"),
                )}
              >
                {isUnderWay(track) ? `${track.phase}…` : (track.verdict ?? "not read")}
              </td>
              <td className="text-right">
                {onHear && track.read && (
                  <button
                    type="button"
                    className="text-primary"
                    aria-label={`Hear track ${two(track.number)}`}
                    onClick={() => onHear(track)}
                  >
                    <Play size={14} aria-hidden />
                  </button>
                )}
              </td>
            </tr>
            {track.read && (
              <tr>
                <td colSpan={8} className="pb-1 pl-[50px] text-[12.5px]">
                  <span className="quiet">{sentence(witnessWords(track))}</span>{" "}
                  {track.verdict !== "proven" && <span>{sentence(track.advice)}</span>}
                </td>
              </tr>
            )}
          </tbody>
        ))}
      </table>
    </section>
  );
}

const isUnderWay = (track: DiscTrack): boolean => track.phase !== null && track.phase !== "proven";

const two = (number: number): string => String(number).padStart(2, "0");

function witnessWords(track: DiscTrack): string {
  const witness = track.read?.witness;
  switch (witness?.answer) {
    case "agrees":
      return `Agrees with ${witness.reads} of ${witness.of} earlier reads`;
    case "agrees with another pressing":
      return `Agrees with ${witness.reads} of ${witness.of} reads of another pressing`;
    case "agrees beside its place":
      return (
        `${witness.reads} of ${witness.of} earlier reads have the same ` +
        `${Math.abs(witness.beside_samples)} samples aside`
      );
    case "disagrees":
      return `Disagrees with all ${witness.of} earlier reads`;
    case "unknown":
      return "Not in the register";
    default:
      return "The register gave no answer";
  }
}
