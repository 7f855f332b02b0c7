import { digestFromBytes, type Digest } from "../digest.ts";
import { EngineError } from "../errors.ts";
import { CODECS, type Codec } from "./codec.ts";
import type { Scale } from "./scale.ts";

/**
 * A pack is one immutable blob:
 *
 *   "YPK1" · stored chunks one after the other · records · trailer
 *   record  (48 bytes): digest 32 · stored length u32 · real length u32 · nominal length u32 · codec u8 · zero × 3
 *   trailer (24 bytes): nominal block u32 · real block u32 · count u32 · records' offset u32 · "YPKINDEX"
 *
 * Chunks lie in the order of the records, so offsets follow from the lengths. Numbers are little-endian.
 */
export type PackedChunk = { digest: Digest; stored: Uint8Array; realBytes: number; nominalBytes: number; codec: Codec };
export type PackRecord = { digest: Digest; offset: number; storedBytes: number; realBytes: number; nominalBytes: number; codec: Codec };
export type PackIndex = { scale: Scale; records: PackRecord[]; indexOffset: number };

const HEAD = Buffer.from("YPK1");
const TAIL = Buffer.from("YPKINDEX");
const RECORD_BYTES = 48;
export const PACK_TRAILER_BYTES = 24;

export function encodePack(scale: Scale, chunks: readonly PackedChunk[]): Buffer {
  const records = Buffer.alloc(chunks.length * RECORD_BYTES);
  const parts: Uint8Array[] = [HEAD];
  let offset = HEAD.length;
  chunks.forEach((chunk, i) => {
    const at = i * RECORD_BYTES;
    records.write(chunk.digest, at, "hex");
    records.writeUInt32LE(chunk.stored.length, at + 32);
    records.writeUInt32LE(chunk.realBytes, at + 36);
    records.writeUInt32LE(chunk.nominalBytes, at + 40);
    records.writeUInt8(CODECS.indexOf(chunk.codec), at + 44);
    parts.push(chunk.stored);
    offset += chunk.stored.length;
  });
  const trailer = Buffer.alloc(PACK_TRAILER_BYTES);
  trailer.writeUInt32LE(scale.nominalBlock, 0);
  trailer.writeUInt32LE(scale.realBlock, 4);
  trailer.writeUInt32LE(chunks.length, 8);
  trailer.writeUInt32LE(offset, 12);
  TAIL.copy(trailer, 16);
  return Buffer.concat([...parts, records, trailer]);
}

export type PackTrailer = { scale: Scale; count: number; indexOffset: number };

/** Reads the last bytes of a blob; undefined where it is no pack. */
export function readTrailer(lastBytes: Buffer): PackTrailer | undefined {
  if (lastBytes.length < PACK_TRAILER_BYTES) return undefined;
  const trailer = lastBytes.subarray(lastBytes.length - PACK_TRAILER_BYTES);
  if (!trailer.subarray(16).equals(TAIL)) return undefined;
  return {
    scale: { nominalBlock: trailer.readUInt32LE(0), realBlock: trailer.readUInt32LE(4) },
    count: trailer.readUInt32LE(8),
    indexOffset: trailer.readUInt32LE(12),
  };
}

/** `records` are the bytes from `indexOffset` on. Throws `damaged` where lengths do not add up. */
export function readRecords(trailer: PackTrailer, records: Buffer): PackIndex {
  if (records.length < trailer.count * RECORD_BYTES) throw new EngineError("damaged", "a pack is shorter than its index says");
  const out: PackRecord[] = [];
  let offset = HEAD.length;
  for (let i = 0; i < trailer.count; i++) {
    const at = i * RECORD_BYTES;
    const codec = CODECS[records.readUInt8(at + 44)];
    if (!codec) throw new EngineError("damaged", "a pack names a codec that is not known here");
    const storedBytes = records.readUInt32LE(at + 32);
    out.push({
      digest: digestFromBytes(records, at),
      offset,
      storedBytes,
      realBytes: records.readUInt32LE(at + 36),
      nominalBytes: records.readUInt32LE(at + 40),
      codec,
    });
    offset += storedBytes;
  }
  if (offset !== trailer.indexOffset) throw new EngineError("damaged", "a pack's chunk lengths do not add up");
  return { scale: trailer.scale, records: out, indexOffset: trailer.indexOffset };
}
