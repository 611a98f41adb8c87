import { describe, expect, it } from "vitest";

import { message, SendBuffer } from "./sendBuffer";

const piece = (number: number, size = 100) => message(number, number * size, 0, new Float32Array(size * 2), 2);

describe("what is kept until it is safe", () => {
  it("writes the head that the server reads", () => {
    const { bytes, first, end } = message(7, 4096, 1.5, new Float32Array([0.5, -0.5]), 2);
    const view = new DataView(bytes);
    expect([first, end]).toEqual([4096, 4097]);
    expect(String.fromCharCode(...new Uint8Array(bytes, 0, 4))).toBe("IGS1");
    expect(view.getUint32(4, true)).toBe(7);
    expect(view.getBigUint64(8, true)).toBe(4096n);
    expect(view.getFloat64(16, true)).toBe(1.5);
    expect(view.getUint32(24, true)).toBe(1);
    expect(view.getFloat32(28, true)).toBe(0.5);
    expect(view.getFloat32(32, true)).toBe(-0.5);
  });
  it("forgets only what is whole on the server's disk", () => {
    const buffer = new SendBuffer(10_000);
    for (let i = 0; i < 5; i++) buffer.add(piece(i));
    buffer.forget(250);
    expect(buffer.from(null).map((one) => one.first)).toEqual([200, 300, 400]);
    expect(buffer.samples).toBe(300);
  });
  it("sends again from the middle of a piece on", () => {
    const buffer = new SendBuffer(10_000);
    for (let i = 0; i < 5; i++) buffer.add(piece(i));
    expect(buffer.from(250).map((one) => one.first)).toEqual([200, 300, 400]);
    expect(buffer.from(500)).toEqual([]);
  });
  it("gives up the oldest when its capacity is spent", () => {
    const buffer = new SendBuffer(250);
    for (let i = 0; i < 5; i++) buffer.add(piece(i));
    expect(buffer.from(null).map((one) => one.first)).toEqual([300, 400]);
  });
});
