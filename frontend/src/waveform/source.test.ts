import { describe, expect, it } from "vitest";

import { GrowingSource, levelFor, type PeakIndex, WaveformSource } from "./source";

const index: PeakIndex = {
  rate_hz: 48_000,
  channels: 1,
  samples: 2_048,
  block_samples: [256, 1024],
  blocks: [8, 2],
  offsets: [0, 0],
};

function flat(rows: number[][]): ArrayBuffer {
  return Float32Array.from(rows.flat()).buffer;
}

describe("levelFor", () => {
  it("takes the coarsest level whose blocks are no wider than a pixel", () => {
    expect(levelFor([256, 1024, 4096], 255)).toBe(-1);
    expect(levelFor([256, 1024, 4096], 256)).toBe(0);
    expect(levelFor([256, 1024, 4096], 5000)).toBe(2);
  });
});

describe("WaveformSource", () => {
  it("gives NaN for what has not come, then the extremes of every block a pixel covers", async () => {
    const rows = Array.from({ length: 8 }, (_, block) => [-(block + 1) / 10, (block + 1) / 20, 0.1]);
    const source = new WaveformSource(1, index, async () => flat(rows));
    const loaded = new Promise<void>((resolve) => source.onLoad(resolve));
    expect(source.columns(0, 0, 512, 4).max[0]).toBeNaN();
    await loaded;
    const columns = source.columns(0, 0, 512, 4);
    expect(columns.min[0]).toBeCloseTo(-0.2);
    expect(columns.max[3]).toBeCloseTo(0.4);
    expect(columns.rms[1]).toBeCloseTo(0.1);
  });

  it("reads single samples below the finest level and leaves what lies outside the take as NaN", async () => {
    const source = new WaveformSource(
      1,
      index,
      async () => Float32Array.from({ length: 2048 }, (_, i) => i / 4096).buffer,
    );
    const loaded = new Promise<void>((resolve) => source.onLoad(resolve));
    source.samples(0, 0, 4);
    await loaded;
    const samples = source.samples(0, -1, 3);
    expect(samples[0]).toBeNaN();
    expect(samples[2]).toBeCloseTo(1 / 4096);
  });

  it("asks again for a tile that failed", async () => {
    let calls = 0;
    const source = new WaveformSource(1, index, async () => {
      calls++;
      if (calls === 1) throw new Error("away");
      return flat([[0, 0, 0]]);
    });
    source.columns(0, 0, 256, 1);
    await new Promise((resolve) => setTimeout(resolve, 0));
    source.columns(0, 0, 256, 1);
    expect(calls).toBe(2);
  });
});

describe("GrowingSource", () => {
  it("fetches the end again when it has grown, and shows what was there until then", async () => {
    let here = 2;
    const source = new GrowingSource(5, { ...index, blocks: [2, 0] }, async (url) => {
      expect(url).toContain("/api/v1/recordings/5/peaks/0");
      return flat(Array.from({ length: here }, (_, block) => [-1, (block + 1) / 10, 0.1]));
    });
    const loaded = () => new Promise<void>((resolve) => source.onLoad(resolve));
    let waiting = loaded();
    source.columns(0, 0, 256, 4);
    await waiting;
    expect(source.columns(0, 0, 256, 4).max[1]).toBeCloseTo(0.2);
    here = 4;
    waiting = loaded();
    source.grow({ ...index, blocks: [4, 1] });
    expect(source.columns(0, 0, 256, 4).max[1]).toBeCloseTo(0.2);
    await waiting;
    expect(source.columns(0, 0, 256, 4).max[3]).toBeCloseTo(0.4);
  });
});
