import { mix } from "./random.ts";
import { WORLD_SCALE } from "./protocol.ts";
import type { TrueDisk, TrueMachine, Truth } from "./truth.ts";

/** Changes are drawn for ticks of five model minutes. */
const TICK_MS = 300_000;
const BOOT_MARK = Buffer.from("STARTS\0\0");

/**
 * What lies on the disks of production machines at an instant. Nothing is stored: every block
 * follows from (seed, machine, disk, block, version), and the version from the changes drawn for
 * every tick since the world began.
 */
export class DiskContents {
  private readonly cache = new Map<string, Int32Array>();
  private readonly newest = new Map<string, { tick: number; versions: Int32Array }>();

  constructor(private readonly truth: Truth) {}

  disk(machine: string, disk: string): { machine: TrueMachine; disk: TrueDisk } | undefined {
    const m = this.truth.machines[machine];
    const d = m?.disks.find((x) => x.id === disk);
    return m && d && { machine: m, disk: d };
  }

  blocks(disk: TrueDisk): number {
    return Math.ceil(disk.bytes / WORLD_SCALE.nominalBlock);
  }

  /** Written blocks at an instant that differ from an earlier one; all written ones where there is no earlier. */
  changed(machine: string, disk: TrueDisk, since: number | null, at: number): number[] {
    const now = this.versions(machine, disk, at);
    const before = since === null ? undefined : this.versions(machine, disk, since);
    const changed: number[] = [];
    for (let block = 0; block < now.length; block++) if (now[block]! >= 0 && (!before || before[block] !== now[block])) changed.push(block);
    return changed;
  }

  read(machine: string, disk: TrueDisk, at: number, blocks: readonly number[]): Buffer {
    const versions = this.versions(machine, disk, at);
    return Buffer.concat(blocks.map((block) => ((versions[block] ?? -1) < 0 ? Buffer.alloc(WORLD_SCALE.realBlock) : this.block(machine, disk, block, versions[block]!))));
  }

  /** Whether a machine's first block is one from which it can start. */
  starts(machine: string, firstBlock: Buffer): boolean {
    const m = this.truth.machines[machine];
    return m !== undefined && firstBlock.subarray(0, BOOT_MARK.length).equals(BOOT_MARK) && firstBlock.readUInt32LE(8) === mix(this.truth.seed, machine, m.disks[0]!.id);
  }

  /** Version of every block: −1 where nothing was ever written, otherwise the tick of the last write. */
  private versions(machine: string, disk: TrueDisk, at: number): Int32Array {
    const tick = Math.max(0, Math.floor((at - this.truth.begins) / TICK_MS));
    const key = `${machine}/${disk.id}/${tick}`;
    const known = this.cache.get(key);
    if (known) return known;
    const count = this.blocks(disk);
    const size = WORLD_SCALE.nominalBlock;
    const used = Math.min(count, Math.ceil(disk.used / size));
    // Who copies asks for later and later instants: each goes on from the one before.
    const newest = this.newest.get(`${machine}/${disk.id}`);
    const start = newest && newest.tick <= tick ? newest : { tick: 0, versions: new Int32Array(count).fill(-1).fill(0, 0, used) };
    const versions = start.versions.slice();
    const hot = Math.max(1, Math.min(used, Math.ceil(disk.hot / size)));
    const perTick = (disk.writtenPerHour / size) * (TICK_MS / 3_600_000);
    const grownPerTick = (disk.grownPerHour / size) * (TICK_MS / 3_600_000);
    for (let t = start.tick + 1; t <= tick; t++) {
      for (let i = Math.floor(perTick * (t - 1)); i < Math.floor(perTick * t); i++) versions[mix(this.truth.seed, machine, disk.id, i) % hot] = t;
      for (let i = Math.floor(grownPerTick * (t - 1)); i < Math.floor(grownPerTick * t); i++) if (used + i < count) versions[used + i] = t;
    }
    if (this.cache.size > 256) this.cache.clear();
    this.cache.set(key, versions);
    this.newest.set(`${machine}/${disk.id}`, { tick, versions });
    return versions;
  }

  private block(machine: string, disk: TrueDisk, block: number, version: number): Buffer {
    const out = Buffer.allocUnsafe(WORLD_SCALE.realBlock);
    let x = mix(this.truth.seed, machine, disk.id, block, version) | 1;
    if (mix(this.truth.seed, "plain", machine, disk.id, block) / 2 ** 32 < disk.plainShare) out.fill(`${machine} ${disk.id} ${block} v${version} `);
    else
      for (let i = 0; i < out.length; i += 4) {
        x ^= x << 13;
        x ^= x >>> 17;
        x ^= x << 5;
        out.writeInt32LE(x | 0, i);
      }
    if (block === 0 && this.truth.machines[machine]!.disks[0] === disk) {
      BOOT_MARK.copy(out);
      out.writeUInt32LE(mix(this.truth.seed, machine, disk.id), BOOT_MARK.length);
    }
    return out;
  }
}
