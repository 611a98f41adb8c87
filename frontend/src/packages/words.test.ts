import { expect, test } from "vitest";

import type { CopyOrder, Profile } from "../api/client";
import { labelOf, profileInWords } from "./words";

const copy = (change: Partial<CopyOrder>): CopyOrder => ({
  kind: "MP3",
  most_rate_hz: 48_000,
  levelling: "tags",
  target_lufs: -18,
  ceiling_dbtp: -1,
  ...change,
});

test("copies are called by what they are", () => {
  expect(labelOf(copy({ kbit_s: 192 }))).toBe("MP3 192");
  expect(labelOf(copy({ kind: "Vorbis", quality: 0 }))).toBe("Vorbis quality 0");
  expect(labelOf(copy({ kind: "FLAC", bits: 16 }))).toBe("FLAC 16 bit");
  expect(labelOf(copy({ kind: "ALAC" }))).toBe("ALAC");
});

test("a profile is one line", () => {
  const profile: Profile = {
    masters: { form: "FLAC", level: 5, bits: 16, rate_hz: 44_100 },
    loudness_tags: true,
    untouched: "BWF",
    one_file: true,
    copies: [copy({ kbit_s: 192 })],
  };
  expect(profileInWords(profile)).toBe("FLAC masters (16 bit, 44.1 kHz) · takes as BWF · one file of it all · MP3 192");
  expect(
    profileInWords({ ...profile, masters: { form: "WAV", level: 5 }, untouched: "none", one_file: false, copies: [] }),
  ).toBe("WAV masters");
});
