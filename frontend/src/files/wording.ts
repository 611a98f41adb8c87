import type { Schemas, WordingStep } from "../api/client";

type ShortWord = Schemas["ShortWord"];

/** The steps of a wording rule as they are chosen: a name in plain words, and what a new one begins with. */
export const STEPS: { words: string; make: () => WordingStep }[] = [
  { words: "Replace a text", make: () => ({ do: "replace", find: "", by: "", how: "text", match_case: true }) },
  {
    words: "Capitals and small letters",
    make: () => ({ do: "case", to: "title", language: "en", keep: [], small: [] }),
  },
  { words: "Underscores to spaces", make: () => ({ do: "underscores" }) },
  { words: "Trim and collapse spaces", make: () => ({ do: "space" }) },
  { words: "Number in front off", make: () => ({ do: "leading number" }) },
  { words: "Another field's text off", make: () => ({ do: "without", of: "artist" }) },
  { words: "Brackets off", make: () => ({ do: "brackets", kinds: ["round", "square", "curly"], holding: "" }) },
  { words: "Shorten words", make: () => ({ do: "shorten", words: [{ long: "Number", short: "No." }] }) },
  { words: "Put text around", make: () => ({ do: "around", before: "", after: "" }) },
  { words: "Set from other fields", make: () => ({ do: "pattern", pattern: "{artist} - {title}" }) },
  { words: "One form of Unicode", make: () => ({ do: "unicode", form: "NFC", plain_quotes: false }) },
];

export const wordsOf = (step: WordingStep): string => STEPS.find((one) => one.make().do === step.do)?.words ?? step.do;

/** "Number = No., Volume = Vol." as pairs, and back. */
export const readPairs = (text: string): ShortWord[] =>
  text.split(",").flatMap((part) => {
    const [long, ...rest] = part.split("=");
    return long?.trim() && rest.length > 0 ? [{ long: long.trim(), short: rest.join("=").trim() }] : [];
  });
export const writePairs = (pairs: readonly ShortWord[]): string =>
  pairs.map((one) => `${one.long} = ${one.short}`).join(", ");

export const readWords = (text: string): string[] =>
  text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean);
