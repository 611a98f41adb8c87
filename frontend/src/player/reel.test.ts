import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import type { Span } from "./programme";
import { Reel, type Sound } from "./reel";

const RATE_HZ = 1000;

interface Started {
  at: number;
  samples: number;
  first: number;
  stoppedAt: number | null;
}

interface Told {
  how: "at once" | "by then";
  value: number;
  at: number;
}
/** How loud a gain is at a time, by what it was told (Web Audio API, 1.6.3). */
function loudness(told: Told[], when: number): number {
  let [value, since] = [0, 0];
  for (const { how, value: to, at } of told) {
    if (at > when) return how === "by then" ? value + ((to - value) * (when - since)) / (at - since) : value;
    [value, since] = [to, at];
  }
  return value;
}

/** An audio context whose clock the test moves, and that notes what is laid where. */
class HeldContext {
  currentTime = 0;
  readonly sampleRate = RATE_HZ;
  readonly destination = {};
  readonly started: Started[] = [];

  /** What each reel's gain is told to be, in the order in which they were made. */
  readonly gains: Told[][] = [];

  createGain() {
    const told: Told[] = [];
    this.gains.push(told);
    const gain = {
      value: 0,
      setValueAtTime: (value: number, at: number) => told.push({ how: "at once", value, at }),
      linearRampToValueAtTime: (value: number, at: number) => told.push({ how: "by then", value, at }),
      cancelScheduledValues(from: number) {
        told.splice(0, told.length, ...told.filter(({ at }) => at < from));
      },
    };
    return { gain, connect() {}, disconnect() {} };
  }
  createBuffer(_: number, length: number) {
    const line = new Float32Array(length);
    return { length, getChannelData: () => line };
  }
  createBufferSource() {
    const { started } = this;
    const node = {
      buffer: null as { length: number; getChannelData: () => Float32Array } | null,
      mine: null as Started | null,
      connect() {},
      disconnect() {
        if (node.mine) started.splice(started.indexOf(node.mine), 1);
      },
      start(at: number, offsetS: number) {
        const skip = Math.round(offsetS * RATE_HZ);
        const line = node.buffer?.getChannelData() ?? new Float32Array();
        // Each sample's value is its own number, so that what is heard can be told from the data.
        node.mine = { at, samples: line.length - skip, first: line[skip] ?? NaN, stoppedAt: null };
        started.push(node.mine);
      },
      stop(at: number) {
        if (node.mine) node.mine.stoppedAt = at;
      },
    };
    return node;
  }
}

let context: HeldContext;
let asked: { first: number; count: number }[];
/** How many samples of the sound there are: less comes where more is asked for. */
let length: number;
let refusal: string | null;

beforeEach(() => {
  vi.useFakeTimers();
  context = new HeldContext();
  [asked, length, refusal] = [[], Infinity, null];
  vi.stubGlobal("fetch", (url: string) => {
    const [first = 0, count = 0] = url.split(" ").map(Number);
    asked.push({ first, count });
    if (refusal) return Promise.resolve(new Response(JSON.stringify({ detail: refusal }), { status: 409 }));
    const given = Math.max(0, Math.min(count, length - first));
    return Promise.resolve(new Response(Float32Array.from({ length: given }, (_, index) => first + index).buffer));
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const sound = (ratio = 1): Sound => ({
  listen: "as it was",
  ratio,
  gainDb: 0,
  url: (first, count) => `${first} ${count}`,
});

function reel(spans: Span[], options: { loop?: boolean; over?: Reel; sample?: number; ratio?: number } = {}) {
  const ended = vi.fn();
  const { loop = false, over = null, sample = spans[0]?.[0] ?? 0, ratio = 1 } = options;
  const place = { span: 0, sample };
  const made = new Reel(context as unknown as AudioContext, sound(ratio), 1, spans, place, loop, over, ended);
  return { made, ended };
}
/** Lets time pass in steps in which the reel looks after itself. */
async function passes(seconds: number) {
  for (let step = 0; step < Math.round(seconds * 10); step++) {
    context.currentTime += 0.1;
    await vi.advanceTimersByTimeAsync(100);
  }
}
/** Whether each piece begins with the sample and at the time at which the one before ends. */
function touching(pieces: Started[]): boolean {
  return pieces.slice(1).every((piece, index) => {
    const before = pieces[index];
    if (!before) return false;
    const touches = Math.abs(piece.at - (before.at + before.samples / RATE_HZ)) < 1e-9;
    return touches && piece.first === before.first + before.samples;
  });
}

describe("Reel", () => {
  it("lays pieces end to end, to the sample", async () => {
    const { made } = reel([[500, 8500]]);
    await made.prepare();
    made.start();
    await passes(8);
    expect(context.started[0]).toMatchObject({ first: 500, samples: 400 });
    expect(context.started.length).toBeGreaterThan(4);
    expect(touching(context.started)).toBe(true);
    expect(context.started.reduce((sum, one) => sum + one.samples, 0)).toBe(8000);
  });

  it("fetches no more than a few seconds ahead", async () => {
    const { made } = reel([[0, 600_000]]);
    await made.prepare();
    made.start();
    await passes(1);
    const laidUntil = Math.max(...context.started.map((one) => one.at + one.samples / RATE_HZ));
    expect(laidUntil - context.currentTime).toBeLessThan(4.5);
    expect(laidUntil - context.currentTime).toBeGreaterThan(1);
    made.stop();
  });

  it("says where it is, in samples of the take, at its own speed", async () => {
    const { made } = reel([[2000, 20_000]], { ratio: 2 });
    expect(made.place()).toBeNull();
    await made.prepare();
    made.start();
    const begins = context.started[0]?.at ?? NaN;
    expect(context.started[0]?.first).toBe(1000);
    expect(made.place(begins + 0.25)?.sample).toBe(2000 + 0.25 * RATE_HZ * 2);
    made.stop();
  });

  it("ends when what was laid has sounded, and not before", async () => {
    const { made, ended } = reel([[0, 2000]]);
    await made.prepare();
    made.start();
    await passes(1.9);
    expect(ended).not.toHaveBeenCalled();
    await passes(0.3);
    expect(ended).toHaveBeenCalledExactlyOnceWith(null);
  });

  it("goes round and round when it is looped, without a gap in time", async () => {
    const { made, ended } = reel([[100, 1100]], { loop: true });
    await made.prepare();
    made.start();
    await passes(4);
    const rounds = context.started.filter((one) => one.first === 100);
    expect(rounds.length).toBeGreaterThanOrEqual(3);
    for (const [index, one] of rounds.slice(1).entries()) expect(one.at - (rounds[index]?.at ?? 0)).toBeCloseTo(1, 9);
    expect(ended).not.toHaveBeenCalled();
    made.stop();
  });

  it("plays an open span to where the sound ends", async () => {
    length = 1300;
    const { made, ended } = reel([[0, null]]);
    await made.prepare();
    made.start();
    await passes(2);
    expect(context.started.reduce((sum, one) => sum + one.samples, 0)).toBe(1300);
    expect(ended).toHaveBeenCalledExactlyOnceWith(null);
  });

  it("takes over from another at the very sample where that one then is", async () => {
    const { made: old } = reel([[0, 60_000]]);
    await old.prepare();
    old.start();
    await passes(3);
    const { made: next } = reel([[0, 60_000]], { over: old, sample: old.place()?.sample ?? 0 });
    await next.prepare();
    const before = context.started.length;
    next.start();
    const first = context.started[before];
    expect(first).toBeDefined();
    expect(first?.first).toBe(Math.round(old.place(first?.at)?.sample ?? NaN));
    const sounding = context.started
      .slice(0, before)
      .filter((one) => one.at + one.samples / RATE_HZ > (first?.at ?? 0));
    expect(sounding.length).toBeGreaterThan(0);
    for (const one of sounding) expect(one.stoppedAt).toBeCloseTo((first?.at ?? 0) + 0.012, 6);
    next.stop();
  });

  it.each([0, 0.004, 0.012, 0.05])("leaves no hole where it is taken over %s s after it took over", async (later) => {
    const { made: first } = reel([[0, 60_000]]);
    await first.prepare();
    first.start();
    await passes(1);
    const { made: second } = reel([[0, 60_000]], { over: first, sample: first.place()?.sample ?? 0 });
    await second.prepare();
    second.start();
    context.currentTime += later;
    const { made: third } = reel([[0, 60_000]], { over: second, sample: second.place()?.sample ?? 0 });
    await third.prepare();
    third.start();
    const now = context.currentTime;
    for (let when = now; when < now + 0.4; when += 0.001) {
      const sum = context.gains.reduce((all, told) => all + loudness(told, when), 0);
      expect(sum).toBeCloseTo(1, 3);
    }
    third.stop();
  });

  it("is heard no longer however often it is stopped", async () => {
    const { made } = reel([[0, 60_000]]);
    await made.prepare();
    made.start();
    await passes(1);
    made.stop();
    const told = [...(context.gains[0] ?? [])];
    context.currentTime += 0.02;
    made.stop();
    expect(context.gains[0]).toEqual(told);
  });

  it("stops with the server's reason when a piece cannot be had", async () => {
    const { made, ended } = reel([[0, 60_000]]);
    await made.prepare();
    made.start();
    await passes(0.1);
    refusal = "the take is gone";
    await passes(4);
    expect(ended).toHaveBeenCalledExactlyOnceWith("the take is gone");
  });

  it("asks for nothing more once it is stopped", async () => {
    const { made, ended } = reel([[0, 60_000]]);
    await made.prepare();
    made.start();
    await passes(1);
    made.stop();
    const count = asked.length;
    await passes(5);
    expect(asked).toHaveLength(count);
    expect(ended).not.toHaveBeenCalled();
  });
});
