import type { Evidence } from "../api/client";

const SHAPES: Record<Evidence["mood"], { word: string; colour: string; shape: "full" | "half" | "bar" | "ring" }> = {
  done: { word: "done", colour: "var(--color-accent)", shape: "full" },
  doubtful: { word: "to look at", colour: "var(--color-warning)", shape: "half" },
  missing: { word: "something is missing", colour: "var(--color-error)", shape: "bar" },
  "not begun": { word: "not begun", colour: "var(--ink-quiet)", shape: "ring" },
};

export const moodWord = (mood: Evidence["mood"]): string => SHAPES[mood].word;

/** Where a stage stands, by shape as well as by colour: a drop of ink, half a drop, a stroke, an empty ring. */
export function Mood({ mood, size = 12 }: { mood: Evidence["mood"]; size?: number }) {
  const { word, colour, shape } = SHAPES[mood];
  const drop = "M6 1C8 4 10 5.700 10 8a4 4 0 0 1-8 0c0-2.300 2-4 4-7z";
  return (
    <svg width={size} height={size} viewBox="0 0 12 12" role="img" aria-label={word} className="shrink-0">
      <title>{word}</title>
      {shape === "full" && <path d={drop} fill={colour} />}
      {shape === "half" && (
        <>
          <path d={drop} fill="none" stroke={colour} strokeWidth="1.200" />
          <path d="M2.200 7.500h7.600A4 4 0 0 1 2 8z" fill={colour} />
        </>
      )}
      {shape === "bar" && <path d="M4.800 1h2.400l-.4 6.500H5.200zM4.900 9h2.200v2.200H4.900z" fill={colour} />}
      {shape === "ring" && <path d={drop} fill="none" stroke={colour} strokeWidth="1.100" />}
    </svg>
  );
}
