import { promisify } from "node:util";
import { brotliCompress, brotliCompressSync, brotliDecompress, brotliDecompressSync, constants } from "node:zlib";
import { EngineError } from "../errors.ts";

export type Codec = "raw" | "brotli";
export const CODECS = ["raw", "brotli"] as const satisfies readonly Codec[];

const compress = promisify(brotliCompress);
const decompress = promisify(brotliDecompress);

/**
 * Bits per byte above which compressing is not tried. A sample of 2,048 random bytes measures some
 * 7.9, one of 256 some 7.2: the bound follows the size of the sample.
 */
const incompressibleBits = (sampled: number): number => Math.min(7.3, Math.log2(Math.max(2, sampled)) * 0.83);
const SAMPLE_BYTES = 2_048;
/** Below this a hop to the thread pool costs more than the work. */
const POOL_FROM_BYTES = 16_384;

/** Shannon entropy in bits per byte of an evenly spread sample. */
export function sampledEntropy(bytes: Uint8Array): number {
  const counts = new Uint32Array(256);
  const taken = Math.min(bytes.length, SAMPLE_BYTES);
  if (taken === 0) return 0;
  const step = bytes.length / taken;
  for (let i = 0; i < taken; i++) counts[bytes[Math.floor(i * step)]!]!++;
  let bits = 0;
  for (const count of counts) if (count) bits -= (count / taken) * Math.log2(count / taken);
  return bits;
}

/** A window no larger than the chunk: setting up a large one costs a millisecond, more than small files take. */
const windowBits = (bytes: number): number => Math.min(18, Math.max(10, Math.ceil(Math.log2(bytes + 16))));

/** Quality 1 was measured: about four times deflate level 1 in speed, with the better ratio. */
export async function encodeChunk(real: Uint8Array): Promise<{ codec: Codec; stored: Uint8Array }> {
  if (sampledEntropy(real) > incompressibleBits(Math.min(real.length, SAMPLE_BYTES))) return { codec: "raw", stored: real };
  const options = {
    params: { [constants.BROTLI_PARAM_QUALITY]: 1, [constants.BROTLI_PARAM_SIZE_HINT]: real.length, [constants.BROTLI_PARAM_LGWIN]: windowBits(real.length) },
  };
  const packed = real.length < POOL_FROM_BYTES ? brotliCompressSync(real, options) : await compress(real, options);
  return packed.length < real.length * 0.95 ? { codec: "brotli", stored: packed } : { codec: "raw", stored: real };
}

export async function decodeChunk(codec: Codec, stored: Uint8Array, realBytes: number): Promise<Buffer> {
  if (codec === "raw") return Buffer.from(stored.buffer, stored.byteOffset, stored.byteLength);
  try {
    const options = { maxOutputLength: realBytes };
    return realBytes < POOL_FROM_BYTES ? brotliDecompressSync(stored, options) : await decompress(stored, options);
  } catch (cause) {
    throw new EngineError("damaged", "a chunk cannot be decompressed", {}, { cause });
  }
}
