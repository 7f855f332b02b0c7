import type { EnclaveReport, MachineOnPlatform } from "#standins/world/protocol.ts";

/** What runs machines: reads production disks at a snapshot's instant, and writes those of an enclave. */
export interface Platform {
  machines(): Promise<MachineOnPlatform[]>;
  /** Written blocks that may differ from an earlier snapshot, ascending; all written ones for null. */
  changedBlocks(machine: string, disk: string, since: number | null, at: number): Promise<number[]>;
  /** Real bytes of the given blocks at a snapshot's instant, one after the other. */
  readBlocks(machine: string, disk: string, at: number, blocks: readonly number[]): Promise<Buffer>;
  writeDisk(enclave: string, machine: string, disk: string, blocks: readonly number[], bytes: Buffer): Promise<void>;
  readDisk(enclave: string, machine: string, disk: string, blocks: readonly number[]): Promise<Buffer>;
  enclave(id: string): Promise<EnclaveReport | null>;
  /** Discards an enclave with its machines and disks; one that is gone already is not an error. */
  discard(enclave: string): Promise<void>;
}
