import { mkdir, open, rm } from "node:fs/promises";
import { join } from "node:path";
import { WORLD_SCALE } from "./protocol.ts";

const ID = /^[A-Za-z0-9._-]+$/;

/** Disks made on stand-in hosts: sparse files in which every nominal block is carried by its few real bytes. */
export class StandinDisks {
  constructor(private readonly folder: string) {}

  async write(enclave: string, machine: string, disk: string, blocks: readonly number[], bytes: Buffer): Promise<void> {
    const size = WORLD_SCALE.realBlock;
    if (bytes.length !== blocks.length * size) throw new RangeError(`${blocks.length} blocks need ${blocks.length * size} bytes, not ${bytes.length}`);
    await mkdir(this.path(enclave), { recursive: true });
    const file = await open(this.path(enclave, machine, disk), "a").then(async (made) => {
      await made.close();
      return open(this.path(enclave, machine, disk), "r+");
    });
    try {
      for (const [i, block] of blocks.entries()) await file.write(bytes, i * size, size, block * size);
      await file.datasync();
    } finally {
      await file.close();
    }
  }

  /** What lies there; zeros where nothing was written. */
  async read(enclave: string, machine: string, disk: string, blocks: readonly number[]): Promise<Buffer> {
    const out = Buffer.alloc(blocks.length * WORLD_SCALE.realBlock);
    const file = await open(this.path(enclave, machine, disk), "r").catch(() => undefined);
    if (!file) return out;
    try {
      for (const [i, block] of blocks.entries()) await file.read(out, i * WORLD_SCALE.realBlock, WORLD_SCALE.realBlock, block * WORLD_SCALE.realBlock);
    } finally {
      await file.close();
    }
    return out;
  }

  async discard(enclave: string): Promise<void> {
    await rm(this.path(enclave), { recursive: true, force: true });
  }

  private path(enclave: string, machine?: string, disk?: string): string {
    for (const id of [enclave, machine, disk]) if (id !== undefined && (!ID.test(id) || id.startsWith("."))) throw new RangeError(`not an id: ${id}`);
    return machine === undefined ? join(this.folder, enclave) : join(this.folder, enclave, `${machine}__${disk}`);
  }
}
