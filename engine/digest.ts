import { hash, webcrypto } from "node:crypto";

/** SHA-256 as 64 lower-case hexadecimal digits (FIPS 180-4). */
export type Digest = string & { readonly __digest: unique symbol };

const HEX = /^[0-9a-f]{64}$/;

export function isDigest(text: string): text is Digest {
  return HEX.test(text);
}

export function toDigest(text: string): Digest {
  if (!isDigest(text)) throw new TypeError(`not a SHA-256 digest in hexadecimal: ${text.slice(0, 80)}`);
  return text;
}

export const sha256 = (bytes: Uint8Array | string): Digest => hash("sha256", bytes, "hex") as Digest;

/** Hashes on the thread pool, so that several blocks are hashed at once. */
export async function sha256InPool(bytes: Uint8Array): Promise<Digest> {
  return Buffer.from(await webcrypto.subtle.digest("SHA-256", bytes as Uint8Array<ArrayBuffer>)).toString("hex") as Digest;
}

export const digestBytes = (digest: Digest): Buffer => Buffer.from(digest, "hex");
export const digestFromBytes = (bytes: Buffer, from = 0): Digest => bytes.toString("hex", from, from + 32) as Digest;

/** OCI writes digests with their algorithm in front. */
export const toOci = (digest: Digest): string => `sha256:${digest}`;
export const fromOci = (text: string): Digest => toDigest(text.replace(/^sha256:/, ""));
