import { digestBytes, type Digest } from "../digest.ts";
import { CODECS, type Codec } from "./codec.ts";

export type ChunkPlace = { pack: number; offset: number; storedBytes: number; realBytes: number; nominalBytes: number; codec: Codec };

const KEY_BYTES = 32;
const FIELDS = 6;

/**
 * Digest → place, open addressing in flat arrays: 81 bytes a slot instead of the several
 * hundred that a map of objects takes, and nothing for the collector to walk.
 */
export class ChunkTable {
  private capacity = 1_024;
  private keys = Buffer.alloc(this.capacity * KEY_BYTES);
  private fields = new Float64Array(0);
  private used = new Uint8Array(this.capacity);
  private count = 0;

  constructor() {
    this.fields = new Float64Array(this.capacity * FIELDS);
  }

  get size(): number {
    return this.count;
  }

  has(digest: Digest): boolean {
    return this.used[this.slot(digestBytes(digest))] === 1;
  }

  get(digest: Digest): ChunkPlace | undefined {
    const at = this.slot(digestBytes(digest));
    if (this.used[at] !== 1) return undefined;
    const f = at * FIELDS;
    return {
      pack: this.fields[f]!,
      offset: this.fields[f + 1]!,
      storedBytes: this.fields[f + 2]!,
      realBytes: this.fields[f + 3]!,
      nominalBytes: this.fields[f + 4]!,
      codec: CODECS[this.fields[f + 5]!]!,
    };
  }

  /** The first place known stays: a second copy of a chunk changes nothing. */
  add(digest: Digest, place: ChunkPlace): void {
    if ((this.count + 1) * 4 > this.capacity * 3) this.grow();
    const key = digestBytes(digest);
    const at = this.slot(key);
    if (this.used[at] === 1) return;
    this.used[at] = 1;
    this.count++;
    key.copy(this.keys, at * KEY_BYTES);
    this.fields.set([place.pack, place.offset, place.storedBytes, place.realBytes, place.nominalBytes, CODECS.indexOf(place.codec)], at * FIELDS);
  }

  private slot(key: Buffer): number {
    let at = key.readUInt32LE(0) & (this.capacity - 1);
    while (this.used[at] === 1 && key.compare(this.keys, at * KEY_BYTES, (at + 1) * KEY_BYTES) !== 0) at = (at + 1) & (this.capacity - 1);
    return at;
  }

  private grow(): void {
    const old = { keys: this.keys, fields: this.fields, used: this.used, capacity: this.capacity };
    this.capacity *= 2;
    this.keys = Buffer.alloc(this.capacity * KEY_BYTES);
    this.fields = new Float64Array(this.capacity * FIELDS);
    this.used = new Uint8Array(this.capacity);
    for (let i = 0; i < old.capacity; i++) {
      if (old.used[i] !== 1) continue;
      const key = old.keys.subarray(i * KEY_BYTES, (i + 1) * KEY_BYTES);
      const at = this.slot(key);
      this.used[at] = 1;
      key.copy(this.keys, at * KEY_BYTES);
      this.fields.set(old.fields.subarray(i * FIELDS, (i + 1) * FIELDS), at * FIELDS);
    }
  }
}
