/**
 * Where copies lie. A store holds immutable, named blobs; nothing in the engine relies on
 * conditional puts or on locks, only on names that are never used for two different contents
 * (`index.json` is the one exception, and can be rebuilt by anyone).
 *
 * Names are relative, with forward slashes, of `[A-Za-z0-9._-]` parts. Errors are `EngineError`.
 */
export interface Store {
  readonly id: string;
  /** Whole and durable once the promise resolves; a half-written blob is never seen under its name. */
  put(name: string, bytes: Uint8Array): Promise<void>;
  /** Throws `missing`. A range is `[from, to)`; a range past the end gives what there is. */
  get(name: string, range?: ByteRange): Promise<Buffer>;
  /** Size in bytes, or undefined where there is none. */
  size(name: string): Promise<number | undefined>;
  /** Every blob whose name begins with `prefix`, in no stated order. */
  list(prefix: string): AsyncIterable<{ name: string; bytes: number }>;
  /** Deleting what is not there is not an error. */
  delete(name: string): Promise<void>;
  /** Real room, where the kind can tell. */
  room?(): Promise<{ freeBytes: number; totalBytes: number }>;
}

export type ByteRange = { from: number; to: number };

const NAME = /^(?!\.\.?(\/|$))[A-Za-z0-9._-]+(\/(?!\.\.?(\/|$))[A-Za-z0-9._-]+)*$/;

export function assertBlobName(name: string): void {
  if (!NAME.test(name)) throw new TypeError(`not a blob name: ${JSON.stringify(name)}`);
}
