import { EngineError } from "../errors.ts";
import { assertBlobName, type ByteRange, type Store } from "../stores/store.ts";

export type Moment = { act: "put" | "get" | "size" | "list"; name: string; effect: boolean };

/** A store in memory that can be made to fail: `trouble` is asked before every act, and after every put that took effect. */
export class MemoryStore implements Store {
  constructor(
    readonly id: string,
    readonly blobs = new Map<string, Buffer>(),
    private readonly trouble: (moment: Moment) => void = () => undefined,
  ) {}

  async put(name: string, bytes: Uint8Array): Promise<void> {
    assertBlobName(name);
    this.trouble({ act: "put", name, effect: false });
    this.blobs.set(name, Buffer.from(bytes));
    this.trouble({ act: "put", name, effect: true });
  }

  async get(name: string, range?: ByteRange): Promise<Buffer> {
    assertBlobName(name);
    this.trouble({ act: "get", name, effect: false });
    const found = this.blobs.get(name);
    if (!found) throw new EngineError("missing", `${name} is not in store ${this.id}`, { store: this.id });
    return Buffer.from(range ? found.subarray(range.from, range.to) : found);
  }

  async size(name: string): Promise<number | undefined> {
    assertBlobName(name);
    this.trouble({ act: "size", name, effect: false });
    return this.blobs.get(name)?.length;
  }

  async *list(prefix: string): AsyncGenerator<{ name: string; bytes: number }> {
    this.trouble({ act: "list", name: prefix, effect: false });
    for (const [name, { length }] of [...this.blobs]) if (name.startsWith(prefix)) yield { name, bytes: length };
  }

  async delete(name: string): Promise<void> {
    this.blobs.delete(name);
  }
}
