import { afterEach, expect, test, vi } from "vitest";

import { address, bytes } from "./bytes";
import { Problem } from "./client";

afterEach(() => vi.unstubAllGlobals());

const answering = (response: Response | Error) =>
  vi.stubGlobal("fetch", () => (response instanceof Error ? Promise.reject(response) : Promise.resolve(response)));

test("parameters are written into the address, a list as one parameter several times", () => {
  expect(address("/api/v1/x")).toBe("/api/v1/x");
  expect(address("/api/v1/x", { name: "Ebb & Flow?.zip", bundle: [1, 2], square: false })).toBe(
    "/api/v1/x?name=Ebb+%26+Flow%3F.zip&bundle=1&bundle=2&square=false",
  );
});

test("the answer is handed on, whatever its bytes are", async () => {
  answering(new Response(new Uint8Array([1, 2, 3])));
  expect(new Uint8Array(await (await bytes("/api/v1/x")).arrayBuffer())).toEqual(new Uint8Array([1, 2, 3]));
});

test("a refusal is thrown in the server's words, even one without any", async () => {
  answering(
    new Response(JSON.stringify({ detail: "the file is empty", where: "a.wav", remedy: "x" }), { status: 422 }),
  );
  await expect(bytes("/api/v1/x")).rejects.toMatchObject({ what: "the file is empty", where: "a.wav", status: 422 });
  answering(new Response("<html>", { status: 502 }));
  await expect(bytes("/api/v1/x")).rejects.toMatchObject({ what: "the server gave no reason", status: 502 });
});

test("a dead connection is told; a request that was given up is not", async () => {
  answering(new TypeError("Failed to fetch"));
  await expect(bytes("/api/v1/x")).rejects.toBe(Problem.away);
  const given = new AbortController();
  given.abort();
  const reason = new Error("given up");
  answering(reason);
  await expect(bytes("/api/v1/x", { signal: given.signal })).rejects.toBe(reason);
});
