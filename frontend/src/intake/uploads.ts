import { useSyncExternalStore } from "react";

import { address, bytes } from "../api/bytes";
import { answer, api, Problem, problemOf, type Upload } from "../api/client";
import { askBeforeLeaving } from "../frame/leaving";

/** A recording on its way from this page to the server. */
export interface Sending {
  id: number;
  docketId: number;
  name: string;
  sizeBytes: number;
  sentBytes: number;
  bytesPerSecond: number;
  state: "sending" | "waiting for the connection" | "failed";
  problem: Problem | null;
}

const beginUpload = (docketId: number, sideId: number | null, file: File): Promise<Upload> =>
  answer(
    api.POST("/api/v1/dockets/{docket_id}/uploads", {
      params: { path: { docket_id: docketId } },
      body: { name: file.name, size_bytes: file.size, side_id: sideId },
    }),
  );

const receivedBytes = async (uploadId: number): Promise<number> =>
  (await answer(api.GET("/api/v1/uploads/{upload_id}", { params: { path: { upload_id: uploadId } } }))).received_bytes;

const CHUNK_BYTES = 8 << 20;
const RETRY_MS = [500, 1000, 2000, 4000, 8000];
/** Answers that the same request may not get a moment later: of a proxy, a server that starts, somebody signed out. */
const PASSING = new Set([401, 408, 409, 425, 429, 502, 503, 504]);

const isRefusal = (error: unknown): error is Problem =>
  error instanceof Problem && error.status >= 400 && !PASSING.has(error.status);

/** Sends recordings piece by piece; a piece that is lost is sent again from where the server says it is. */
export class Uploads {
  private list: readonly Sending[] = [];
  private readonly listeners = new Set<() => void>();
  /** Who sends an upload at the moment: whatever else still runs for it ends. */
  private readonly runs = new Map<number, AbortController>();

  constructor(
    private readonly begin: (docketId: number, sideId: number | null, file: File) => Promise<Upload> = beginUpload,
    private readonly received: (uploadId: number) => Promise<number> = receivedBytes,
  ) {}

  snapshot = (): readonly Sending[] => this.list;

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Begins a new upload. Rejects with the server's refusal where there can be none. */
  async send(docketId: number, sideId: number | null, file: File): Promise<void> {
    await this.go(await this.begin(docketId, sideId, file), file);
  }

  /** Goes on with an upload that was stopped, or that another page, or this one before a reload, left unfinished. */
  async resume(upload: Upload, file: File): Promise<void> {
    if (file.size !== upload.size_bytes)
      throw new Problem(
        `this file has ${file.size} bytes, the one begun has ${upload.size_bytes}`,
        upload.name,
        "Choose the same file",
      );
    // More may have arrived since the page was told how much there is.
    await this.go({ ...upload, received_bytes: await this.received(upload.id) }, file);
  }

  /** Ends the sending at once; what has arrived stays on the server, and `resume` goes on behind it. */
  stop(id: number): void {
    this.runs.get(id)?.abort();
    this.runs.delete(id);
    this.remove(id);
  }

  private async go(upload: Upload, file: File): Promise<void> {
    const { id } = upload;
    this.runs.get(id)?.abort();
    const run = new AbortController();
    this.runs.set(id, run);
    let offset = upload.received_bytes;
    let failures = 0;
    this.put({
      id,
      docketId: upload.docket_id,
      name: upload.name,
      sizeBytes: file.size,
      sentBytes: offset,
      bytesPerSecond: 0,
      state: "sending",
      problem: null,
    });
    const began = performance.now();
    const from = offset;
    while (offset < file.size && !run.signal.aborted) {
      try {
        offset = await this.piece(id, file, offset, run.signal);
        if (run.signal.aborted) return;
        failures = 0;
        const seconds = (performance.now() - began) / 1000;
        this.change(id, { sentBytes: offset, bytesPerSecond: (offset - from) / seconds, state: "sending" });
      } catch (error) {
        if (run.signal.aborted) return;
        if (isRefusal(error)) {
          this.runs.delete(id);
          this.change(id, { state: "failed", problem: error });
          return;
        }
        this.change(id, { state: "waiting for the connection" });
        const wait = RETRY_MS[Math.min(failures++, RETRY_MS.length - 1)] ?? 8000;
        await new Promise((resolve) => setTimeout(resolve, wait));
        offset = await this.whereTheServerIs(id, offset);
      }
    }
    if (run.signal.aborted) return;
    this.runs.delete(id);
    this.remove(id);
  }

  private async piece(id: number, file: File, offset: number, signal: AbortSignal): Promise<number> {
    await bytes(`/api/v1/uploads/${id}`, {
      method: "PATCH",
      headers: { "Upload-Offset": String(offset), "Content-Type": "application/partial-upload" },
      body: file.slice(offset, offset + CHUNK_BYTES),
      signal,
    });
    return Math.min(file.size, offset + CHUNK_BYTES);
  }

  private async whereTheServerIs(id: number, otherwise: number): Promise<number> {
    try {
      return await this.received(id);
    } catch {
      return otherwise;
    }
  }

  private put(sending: Sending): void {
    this.show([...this.list.filter((one) => one.id !== sending.id), sending]);
  }

  private change(id: number, values: Partial<Sending>): void {
    const found = this.list.find((one) => one.id === id);
    if (found) this.put({ ...found, ...values });
  }

  private remove(id: number): void {
    this.show(this.list.filter((one) => one.id !== id));
  }

  private show(list: readonly Sending[]): void {
    this.list = list;
    askBeforeLeaving(
      this,
      list.some((one) => one.state !== "failed"),
    );
    this.listeners.forEach((listener) => listener());
  }
}

export const uploads = new Uploads();

export const useSendings = (docketId: number): readonly Sending[] =>
  useSyncExternalStore(uploads.subscribe, uploads.snapshot).filter((one) => one.docketId === docketId);

const PICTURE = /\.(jpe?g|png|webp|gif|bmp|tiff?)$/i;

/**
 * Sends each dropped file where it belongs: pictures become artwork, everything else is taken for a recording.
 *
 * Rejects with what was refused once all others have been sent.
 */
export async function receive(
  docketId: number,
  sideId: number | null,
  files: readonly File[],
  through: Uploads = uploads,
): Promise<void> {
  const refused: [File, Problem][] = [];
  for (const file of files) {
    try {
      if (PICTURE.test(file.name)) await sendPicture(docketId, file);
      else await through.send(docketId, sideId, file);
    } catch (error) {
      refused.push([file, problemOf(error)]);
    }
  }
  const [first, ...more] = refused;
  if (!first) return;
  const [file, problem] = first;
  if (more.length === 0) throw new Problem(problem.what, problem.where ?? file.name, problem.remedy, problem.status);
  const reasons = refused.map(([one, why]) => `${one.name}: ${why.what}`).join("; ");
  throw new Problem(`${refused.length} of ${files.length} files were not taken in. ${reasons}`);
}

export async function sendPicture(docketId: number, file: File): Promise<void> {
  await bytes(address(`/api/v1/dockets/${docketId}/artwork`, { name: file.name }), { method: "POST", body: file });
}
