import { type Digest, sha256, sha256InPool } from "../digest.ts";
import { isOneToOne, type Scale } from "./scale.ts";

/** Below this a hop to the thread pool costs more than the hash. */
const POOL_FROM_BYTES = 16_384;

/**
 * The digest by which a chunk is known. The scale is part of a scaled chunk's identity, so that
 * equal carriers of different nominal lengths are never taken for each other.
 */
export function chunkDigest(real: Uint8Array, scale: Scale): Promise<Digest> | Digest {
  if (!isOneToOne(scale)) return sha256(Buffer.concat([Buffer.from(`${scale.nominalBlock}/${scale.realBlock}\n`), real]));
  return real.length < POOL_FROM_BYTES ? sha256(real) : sha256InPool(real);
}

export function isZero(bytes: Uint8Array): boolean {
  if (bytes.length === 0) return true;
  if (bytes[0] !== 0) return false;
  // Comparing the block with itself shifted by one byte runs at the speed of memcmp.
  const view = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  return view.subarray(1).equals(view.subarray(0, view.length - 1));
}
