/** What was captured and is not yet safe on the server's disk: kept so that it can be sent again, gap-free. */
export interface Message {
  first: number;
  end: number;
  bytes: ArrayBuffer;
}

const HEAD_BYTES = 28;

/** A message: "IGS1", sequence, first sample, seconds, count, then interleaved float32 (see devices/pushed.py). */
export function message(
  sequence: number,
  first: number,
  capturedAtS: number,
  samples: Float32Array,
  channels: number,
): Message {
  const count = samples.length / channels;
  const bytes = new ArrayBuffer(HEAD_BYTES + samples.byteLength);
  const view = new DataView(bytes);
  "IGS1".split("").forEach((char, index) => view.setUint8(index, char.charCodeAt(0)));
  view.setUint32(4, sequence, true);
  view.setBigUint64(8, BigInt(first), true);
  view.setFloat64(16, capturedAtS, true);
  view.setUint32(24, count, true);
  new Float32Array(bytes, HEAD_BYTES).set(samples);
  return { first, end: first + count, bytes };
}

export class SendBuffer {
  private list: Message[] = [];

  /** `capacity` in samples; what is older is given up, and the server will say that it is missing. */
  constructor(private readonly capacity: number) {}

  get samples(): number {
    const last = this.list[this.list.length - 1];
    return last ? last.end - (this.list[0]?.first ?? last.end) : 0;
  }

  add(one: Message): void {
    this.list.push(one);
    while (this.samples > this.capacity) this.list.shift();
  }

  /** What lies before `sample` is safe. */
  forget(sample: number): void {
    let count = 0;
    while (count < this.list.length && (this.list[count]?.end ?? Infinity) <= sample) count++;
    this.list.splice(0, count);
  }

  /** All that is to be sent from `sample` on; everything where the server has nothing yet. */
  from(sample: number | null): readonly Message[] {
    return sample === null ? this.list : this.list.filter((one) => one.end > sample);
  }
}
