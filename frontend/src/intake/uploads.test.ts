import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Problem, type Upload } from "../api/client";
import { receive, Uploads } from "./uploads";

/** A server that keeps what it is sent, and can be told to fail. */
class Server {
  received = 0;
  pieces: number[] = [];
  failures: (Response | Error)[] = [];
  onPiece: (count: number) => void = () => undefined;

  constructor(private readonly size: number) {}

  view(): Upload {
    return {
      id: 7,
      docket_id: 1,
      side_id: 2,
      name: "side.wav",
      size_bytes: this.size,
      received_bytes: this.received,
      state: "receiving",
      refusal: null,
    };
  }

  /** Answers a PATCH with a piece, the only request that is sent past the API's client. */
  fetch = async (_: RequestInfo | URL, init?: RequestInit): Promise<Response> => {
    const failure = this.failures.shift();
    if (failure instanceof Error) throw failure;
    if (failure) return failure;
    await new Promise((resolve) => setTimeout(resolve, 5));
    if (init?.signal?.aborted) throw new DOMException("stopped", "AbortError");
    const offset = Number((init?.headers as Record<string, string>)["Upload-Offset"]);
    if (offset !== this.received) return new Response(JSON.stringify({ detail: "elsewhere" }), { status: 409 });
    const length = (init?.body as Blob).size;
    this.pieces.push(length);
    this.received += length;
    this.onPiece(this.pieces.length);
    return new Response(JSON.stringify(this.view()), { headers: { "Content-Type": "application/json" } });
  };
}

const MEGABYTE = 1 << 20;
const file = (bytes: number) => new File([new Uint8Array(bytes)], "side.wav");

describe("uploads", () => {
  beforeEach(() => {
    vi.useFakeTimers({ shouldAdvanceTime: true, advanceTimeDelta: 200 });
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  /** With this server in place of the network. */
  const against = (server: Server): Uploads => {
    vi.stubGlobal("fetch", server.fetch);
    return new Uploads(
      async () => server.view(),
      async () => server.received,
    );
  };

  it("sends a recording in pieces and forgets it when all is there", async () => {
    const server = new Server(20 * MEGABYTE);
    const uploads = against(server);
    await uploads.send(1, null, file(20 * MEGABYTE));
    expect(server.pieces).toEqual([8 * MEGABYTE, 8 * MEGABYTE, 4 * MEGABYTE]);
    expect(uploads.snapshot()).toEqual([]);
  });

  it("goes on from where the server is after a lost connection", async () => {
    const server = new Server(20 * MEGABYTE);
    server.failures = [new TypeError("network"), new TypeError("network")];
    const uploads = against(server);
    await uploads.send(1, null, file(20 * MEGABYTE));
    expect(server.received).toBe(20 * MEGABYTE);
  });

  it("stops at a refusal and keeps the reason", async () => {
    const server = new Server(MEGABYTE);
    server.failures = [
      new Response(JSON.stringify({ detail: "it is too long", remedy: "Divide it" }), { status: 422 }),
    ];
    const uploads = against(server);
    await uploads.send(1, null, file(MEGABYTE));
    const [sending] = uploads.snapshot();
    expect(sending?.state).toBe("failed");
    expect(sending?.problem).toMatchObject({ what: "it is too long", remedy: "Divide it", status: 422 });
  });

  it.each([401, 408, 429, 502, 503, 504])(
    "goes on by itself after an answer %i, however often it comes",
    async (status) => {
      const server = new Server(20 * MEGABYTE);
      server.failures = Array.from({ length: 50 }, () => new Response("<html>Bad gateway</html>", { status }));
      const uploads = against(server);
      const sent = uploads.send(1, null, file(20 * MEGABYTE));
      await vi.advanceTimersByTimeAsync(500_000);
      await sent;
      expect(server.received).toBe(20 * MEGABYTE);
    },
  );

  it("sends the rest though one file is refused, and says which", async () => {
    const server = new Server(MEGABYTE);
    vi.stubGlobal("fetch", server.fetch);
    const begun: string[] = [];
    const uploads = new Uploads(
      async (_, __, one) => {
        begun.push(one.name);
        if (one.name.startsWith("bad")) throw new Problem("it is no sound", null, "Choose another", 422);
        return { ...server.view(), received_bytes: MEGABYTE };
      },
      async () => MEGABYTE,
    );
    const named = (...names: string[]) => names.map((name) => new File([new Uint8Array(MEGABYTE)], name));
    const one = receive(1, null, named("bad.doc", "side A.wav"), uploads);
    await expect(one).rejects.toMatchObject({ what: "it is no sound", where: "bad.doc", remedy: "Choose another" });
    const two = receive(1, null, named("bad.doc", "side B.wav", "bad.txt"), uploads);
    await expect(two).rejects.toMatchObject({
      what: "2 of 3 files were not taken in. bad.doc: it is no sound; bad.txt: it is no sound",
    });
    expect(begun).toEqual(["bad.doc", "side A.wav", "bad.doc", "side B.wav", "bad.txt"]);
  });

  it("has the browser ask before the page is left while something is sent, and not after", async () => {
    const page = new EventTarget();
    vi.stubGlobal("window", page);
    const asks = () => !page.dispatchEvent(new Event("beforeunload", { cancelable: true }));
    const server = new Server(20 * MEGABYTE);
    const uploads = against(server);
    const during: boolean[] = [];
    server.onPiece = () => during.push(asks());
    expect(asks()).toBe(false);
    await uploads.send(1, null, file(20 * MEGABYTE));
    expect(during).toEqual([true, true, true]);
    expect(asks()).toBe(false);
  });

  it("stops at once, and goes on from what the server has when the file is chosen again", async () => {
    const server = new Server(40 * MEGABYTE);
    const uploads = against(server);
    server.onPiece = (count) => {
      if (count === 2) uploads.stop(7);
    };
    await uploads.send(1, null, file(40 * MEGABYTE));
    server.onPiece = () => undefined;
    expect(uploads.snapshot()).toEqual([]);
    const there = server.received;
    expect(there).toBe(16 * MEGABYTE);
    // The page may have been told of less than has arrived meanwhile.
    await uploads.resume({ ...server.view(), received_bytes: 0 }, file(40 * MEGABYTE));
    expect(server.received).toBe(40 * MEGABYTE);
    expect(server.pieces.every((piece) => piece === 8 * MEGABYTE)).toBe(true);
    expect(uploads.snapshot()).toEqual([]);
  });

  it("sends once when it is told to go on twice", async () => {
    const server = new Server(40 * MEGABYTE);
    const uploads = against(server);
    const begun = server.view();
    await Promise.all([uploads.resume(begun, file(40 * MEGABYTE)), uploads.resume(begun, file(40 * MEGABYTE))]);
    expect(server.received).toBe(40 * MEGABYTE);
    expect(uploads.snapshot()).toEqual([]);
  });

  it("goes on with an upload begun before, but only with a file of the same size", async () => {
    const server = new Server(10 * MEGABYTE);
    server.received = 4 * MEGABYTE;
    const uploads = against(server);
    const begun = server.view();
    await expect(uploads.resume(begun, file(9 * MEGABYTE))).rejects.toBeInstanceOf(Problem);
    await uploads.resume(begun, file(10 * MEGABYTE));
    expect(server.pieces).toEqual([6 * MEGABYTE]);
  });
});
