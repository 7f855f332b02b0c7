import type { Digest } from "../digest.ts";
import { CODECS, type Codec } from "./codec.ts";

export type ChunkPlace = { pack: number; offset: number; storedBytes: number; realBytes: number; nominalBytes: number; codec: Codec };

const KEY_WORDS = 8;
const FIELDS = 6;
const scratch = Buffer.alloc(KEY_WORDS * 4);
const scratchWords = new Uint32Array(scratch.buffer, scratch.byteOffset, KEY_WORDS);

/**
 * Digest → place, open addressing in flat arrays: 81 bytes a slot instead of the several
 * hundred that a map of objects takes, and nothing for the collector to walk.
 */
export class ChunkTable {
  private capacity = 1_024;
  private keys = new Uint32Array(this.capacity * KEY_WORDS);
  private fields = new Float64Array(this.capacity * FIELDS);
  private used = new Uint8Array(this.capacity);
  private count = 0;

  get size(): number {
    return this.count;
  }

  get(digest: Digest): ChunkPlace | undefined {
    const at = this.slotOf(digest);
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

  /** The number of the pack alone, which most who ask want to know. */
  packOf(digest: Digest): number | undefined {
    const at = this.slotOf(digest);
    return this.used[at] === 1 ? this.fields[at * FIELDS] : undefined;
  }

  /** The first place known stays, unless the new one is `better`: a second copy of a chunk changes nothing. */
  add(digest: Digest, place: ChunkPlace, better = false): void {
    if ((this.count + 1) * 4 > this.capacity * 3) this.grow();
    const at = this.slotOf(digest);
    if (this.used[at] === 1 && !better) return;
    if (this.used[at] !== 1) this.count++;
    this.used[at] = 1;
    this.keys.set(scratchWords, at * KEY_WORDS);
    const f = at * FIELDS;
    this.fields[f] = place.pack;
    this.fields[f + 1] = place.offset;
    this.fields[f + 2] = place.storedBytes;
    this.fields[f + 3] = place.realBytes;
    this.fields[f + 4] = place.nominalBytes;
    this.fields[f + 5] = CODECS.indexOf(place.codec);
  }

  /** Where a digest lies or would lie; leaves its words in `scratchWords`. */
  private slotOf(digest: Digest): number {
    scratch.write(digest, "hex");
    let at = scratchWords[0]! & (this.capacity - 1);
    while (this.used[at] === 1 && !this.isAt(at)) at = (at + 1) & (this.capacity - 1);
    return at;
  }

  private isAt(slot: number): boolean {
    const from = slot * KEY_WORDS;
    for (let i = 0; i < KEY_WORDS; i++) if (this.keys[from + i] !== scratchWords[i]) return false;
    return true;
  }

  private grow(): void {
    const old = { keys: this.keys, fields: this.fields, used: this.used, capacity: this.capacity };
    this.capacity *= 2;
    this.keys = new Uint32Array(this.capacity * KEY_WORDS);
    this.fields = new Float64Array(this.capacity * FIELDS);
    this.used = new Uint8Array(this.capacity);
    for (let i = 0; i < old.capacity; i++) {
      if (old.used[i] !== 1) continue;
      // No key is there twice, so any free slot on its way is its own.
      let at = old.keys[i * KEY_WORDS]! & (this.capacity - 1);
      while (this.used[at] === 1) at = (at + 1) & (this.capacity - 1);
      this.used[at] = 1;
      this.keys.set(old.keys.subarray(i * KEY_WORDS, (i + 1) * KEY_WORDS), at * KEY_WORDS);
      this.fields.set(old.fields.subarray(i * FIELDS, (i + 1) * FIELDS), at * FIELDS);
    }
  }
}
