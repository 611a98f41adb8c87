import { bytes } from "../api/bytes";
import type { Schemas } from "../api/client";
import type { ListenFor } from "../player/programme";

export type PeakIndex = Schemas["PeakIndex"];

/** Minimum, maximum and RMS for each pixel column of one channel; NaN where nothing is loaded yet. */
export interface Columns {
  min: Float32Array;
  max: Float32Array;
  rms: Float32Array;
}

const TILE_BLOCKS = 8192;
const TILE_SAMPLES = 65_536;
const MAX_TILES = 400;

/** The level to read: the coarsest whose blocks are no wider than a pixel; -1 for the samples themselves. */
export function levelFor(blockSamples: readonly number[], samplesPerPx: number): number {
  let level = -1;
  blockSamples.forEach((size, index) => {
    if (size <= samplesPerPx) level = index;
  });
  return level;
}

type Fetch = (url: string, signal: AbortSignal) => Promise<ArrayBuffer>;

const fetchBinary: Fetch = async (url, signal) => (await bytes(url, { signal })).arrayBuffer();

/**
 * The waveform of one take: tiles of its peak pyramid and of its samples, fetched when first asked for.
 * What is asked for and not here yet comes as NaN; `onLoad` says when it is worth asking again.
 */
export class WaveformSource {
  protected readonly tiles = new Map<number, Float32Array | "coming">();
  private readonly listeners = new Set<() => void>();
  private readonly abort = new AbortController();
  private readonly path: string;

  constructor(
    readonly takeId: number,
    public index: PeakIndex,
    private readonly fetcher: Fetch = fetchBinary,
    path?: string,
  ) {
    this.path = path ?? `/api/v1/takes/${takeId}`;
  }

  onLoad(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  dispose(): void {
    this.abort.abort();
  }

  /** Columns of [firstSample, firstSample + width * samplesPerPx) for one channel. */
  columns(channel: number, firstSample: number, samplesPerPx: number, width: number): Columns {
    const out = { min: blank(width), max: blank(width), rms: blank(width) };
    const level = levelFor(this.index.block_samples, samplesPerPx);
    if (level < 0) this.fromSamples(out, channel, firstSample, samplesPerPx, width);
    else this.fromLevel(out, level, channel, firstSample, samplesPerPx, width);
    return out;
  }

  /** Single samples [first, first + count) of a channel, NaN where not loaded. */
  samples(channel: number, first: number, count: number): Float32Array {
    const out = blank(count);
    const { channels, samples } = this.index;
    const end = Math.min(first + count, samples);
    let sample = Math.max(0, first);
    // A tile at a time: this runs for every pixel of every frame while somebody magnifies.
    while (sample < end) {
      const tile = this.sampleTile(Math.floor(sample / TILE_SAMPLES));
      const stop = Math.min(end, (Math.floor(sample / TILE_SAMPLES) + 1) * TILE_SAMPLES);
      if (tile)
        for (let i = sample; i < stop; i++) out[i - first] = tile[(i % TILE_SAMPLES) * channels + channel] ?? NaN;
      sample = stop;
    }
    return out;
  }

  /** The highest peak around a sample, all channels, full scale 1; NaN if not loaded. */
  peakAt(sample: number): number {
    const level = Math.min(2, this.index.block_samples.length - 1);
    const { channels } = this.index;
    const block = Math.floor(sample / (this.index.block_samples[level] ?? 256));
    const tile = this.peakTile(level, Math.floor(block / TILE_BLOCKS));
    if (!tile) return NaN;
    let peak = 0;
    for (let c = 0; c < channels; c++) {
      const at = ((block % TILE_BLOCKS) * channels + c) * 3;
      peak = Math.max(peak, Math.abs(tile[at] ?? 0), Math.abs(tile[at + 1] ?? 0));
    }
    return peak;
  }

  private fromLevel(out: Columns, level: number, channel: number, first: number, perPx: number, width: number) {
    const { channels, block_samples, blocks } = this.index;
    const size = block_samples[level] ?? 256;
    const last = (blocks[level] ?? 0) - 1;
    for (let x = 0; x < width; x++) {
      const from = Math.floor((first + x * perPx) / size);
      const to = Math.max(from, Math.ceil((first + (x + 1) * perPx) / size) - 1);
      let min = Infinity;
      let max = -Infinity;
      let power = 0;
      let count = 0;
      for (let block = Math.max(0, from); block <= Math.min(to, last); block++) {
        const tile = this.peakTile(level, Math.floor(block / TILE_BLOCKS));
        if (!tile) continue;
        const at = ((block % TILE_BLOCKS) * channels + channel) * 3;
        min = Math.min(min, tile[at] ?? 0);
        max = Math.max(max, tile[at + 1] ?? 0);
        power += (tile[at + 2] ?? 0) ** 2;
        count++;
      }
      if (count) {
        out.min[x] = min;
        out.max[x] = max;
        out.rms[x] = Math.sqrt(power / count);
      }
    }
  }

  private fromSamples(out: Columns, channel: number, first: number, perPx: number, width: number) {
    const start = Math.floor(first);
    const values = this.samples(channel, start, Math.ceil(width * perPx) + 2);
    for (let x = 0; x < width; x++) {
      const from = Math.floor(first + x * perPx) - start;
      const to = Math.max(from + 1, Math.ceil(first + (x + 1) * perPx) - start);
      let min = Infinity;
      let max = -Infinity;
      let power = 0;
      for (let i = from; i < to; i++) {
        const value = values[i] ?? NaN;
        if (value < min) min = value;
        if (value > max) max = value;
        power += value * value;
      }
      if (Number.isFinite(min)) {
        out.min[x] = min;
        out.max[x] = max;
        out.rms[x] = Math.sqrt(power / (to - from));
      }
    }
  }

  private peakTile(level: number, tile: number): Float32Array | null {
    return this.tile(level + 1, tile);
  }

  private sampleTile(tile: number): Float32Array | null {
    return this.tile(0, tile);
  }

  /** A tile of level `layer` - 1, or of the samples themselves for layer 0. */
  private tile(layer: number, tile: number): Float32Array | null {
    const key = layer * 2 ** 32 + tile;
    const found = this.tiles.get(key);
    if (found instanceof Float32Array) return found;
    if (found === undefined) this.fetchTile(key, layer, tile);
    return null;
  }

  protected fetchTile(key: number, layer: number, tile: number) {
    const url = layer
      ? `${this.path}/peaks/${layer - 1}?first_block=${tile * TILE_BLOCKS}&blocks=${TILE_BLOCKS}`
      : this.samplesUrl(tile * TILE_SAMPLES, TILE_SAMPLES);
    // A tile that is fetched once more, because it has grown, is shown as it was until then.
    if (!this.tiles.has(key)) this.tiles.set(key, "coming");
    this.fetcher(url, this.abort.signal).then(
      (data) => {
        if (this.tiles.size > MAX_TILES) this.forgetOldest();
        this.tiles.set(key, new Float32Array(data));
        this.listeners.forEach((listener) => listener());
      },
      () => this.tiles.delete(key), // asked for again at the next drawing
    );
  }

  protected samplesUrl(first: number, count: number): string {
    return `${this.path}/samples?first_sample=${first}&samples=${count}`;
  }

  private forgetOldest() {
    const oldest = this.tiles.keys().next().value;
    if (oldest !== undefined) this.tiles.delete(oldest);
  }
}

/** The waveform of a recording that is going on: what is at its end is fetched again as it grows. */
export class GrowingSource extends WaveformSource {
  constructor(recordingId: number, index: PeakIndex, fetcher: Fetch = fetchBinary) {
    super(-recordingId, index, fetcher, `/api/v1/recordings/${recordingId}`);
  }

  /** Takes note of how far it is now, and fetches the ends that have grown. */
  grow(index: PeakIndex): void {
    const { blocks, channels } = index;
    this.index = index;
    for (const [key, tile] of [...this.tiles]) {
      const layer = Math.floor(key / 2 ** 32);
      const number = key - layer * 2 ** 32;
      const here = Math.min(TILE_BLOCKS, (blocks[layer - 1] ?? 0) - number * TILE_BLOCKS);
      if (tile instanceof Float32Array && tile.length < here * channels * 3) this.fetchTile(key, layer, number);
    }
  }
}

/** A side under one version of its plan, as listened for: samples alone, in its own time. */
export class HeardSource extends WaveformSource {
  constructor(
    private readonly sideId: number,
    private readonly version: number,
    private readonly listen: ListenFor,
    index: PeakIndex,
    samples: number,
    fetcher: Fetch = fetchBinary,
  ) {
    super(0, { ...index, samples, block_samples: [], blocks: [] }, fetcher, "");
  }

  protected override samplesUrl(first: number, count: number): string {
    const listen = encodeURIComponent(this.listen);
    const stretch = `first_sample=${first}&samples=${count}`;
    return `/api/v1/sides/${this.sideId}/heard?version=${this.version}&listen=${listen}&${stretch}`;
  }
}

const blank = (length: number) => new Float32Array(length).fill(NaN);
