import { readdir, readFile, stat } from "node:fs/promises";
import { dirname, join } from "node:path";
import type { DiscoveredMachine, Inventory } from "#core/estate/discovery.ts";
import { countWords, listWords } from "#core/wording/amounts.ts";
import { machineFromOvf } from "#formats/ovf/machines.ts";
import { OvfError, type OvfSystem, readOvf } from "#formats/ovf/read-ovf.ts";
import { type InsideKind, type ManagerAccess, ManagerError, type PlatformManager, type Trial } from "./manager.ts";

const MOST_DESCRIPTORS = 5_000;

type Described = { file: string; systems: OvfSystem[] };

/** A folder on this machine with disk images and their OVF descriptors, as any hypervisor can export: real, one to one. */
export class ImageFolderManager implements PlatformManager {
  constructor(private readonly access: Extract<ManagerAccess, { kind: "image-folder" }>) {}

  async try(): Promise<Trial[]> {
    try {
      const described = await this.descriptors();
      const missing = (await Promise.all(described.map(missingImages))).flat();
      return [
        { what: "reach", outcome: "good", words: `${countWords(described.length, "descriptor")} in ${this.access.path}` },
        ...(missing.length > 0 ? [{ what: "right" as const, outcome: "wrong" as const, words: `${listWords(missing, 5)}: the images are named there and cannot be read` }] : [{ what: "right" as const, outcome: "good" as const, words: "every image that they name can be read" }]),
      ];
    } catch (error) {
      if (error instanceof ManagerError) return [{ what: error.what, outcome: "wrong", words: error.message }];
      throw error;
    }
  }

  async inventory(progress: (words: string) => void): Promise<Inventory> {
    const machines: DiscoveredMachine[] = [];
    for (const { file, systems } of await this.descriptors()) {
      for (const system of systems) {
        const machine = machineFromOvf(system);
        const other = machines.find((m) => m.id === machine.id);
        if (other) throw new ManagerError("reach", `two descriptors describe ${machine.id}; the second is ${file}. Rename one`);
        machines.push({ ...machine, host: this.access.host, running: false, folder: dirname(file) });
      }
      progress(`${countWords(machines.length, "machine")} described`);
    }
    return { family: "images", version: "OVF", can: [], converts: [], hosts: [], networks: [], machines };
  }

  /** Files see no connections. */
  flows(): Promise<[]> {
    return Promise.resolve([]);
  }

  inside(_kind: InsideKind, machine: string): Promise<never> {
    return Promise.reject(new ManagerError("right", `${machine} is known here by its image files only; nothing can be tried from inside it`));
  }

  private async descriptors(): Promise<Described[]> {
    const { path } = this.access;
    const found = await stat(path).catch((error: NodeJS.ErrnoException) => {
      throw new ManagerError("reach", error.code === "EACCES" ? `${path} may not be read by this server` : `there is no folder ${path} on this server`);
    });
    if (!found.isDirectory()) throw new ManagerError("reach", `${path} is no folder`);
    const names = (await readdir(path, { withFileTypes: true })).flatMap((entry) => (entry.isDirectory() ? [entry.name] : []));
    const files = (await Promise.all(["", ...names].map(async (below) => (await readdir(join(path, below)).catch(() => [])).filter((name) => /\.ovf$/i.test(name)).map((name) => join(path, below, name))))).flat().sort();
    if (files.length === 0) throw new ManagerError("reach", `${path} holds no OVF descriptor, neither itself nor one folder below`);
    if (files.length > MOST_DESCRIPTORS) throw new ManagerError("reach", `${path} holds more than ${MOST_DESCRIPTORS} descriptors; connect its folders one by one`);
    const described: Described[] = [];
    for (const file of files) described.push({ file, systems: await systemsOf(file) });
    return described;
  }
}

async function systemsOf(file: string): Promise<OvfSystem[]> {
  try {
    return readOvf(await readFile(file, "utf8"));
  } catch (error) {
    if (error instanceof OvfError) throw new ManagerError("reach", `${file}, line ${error.line}: ${error.message}`);
    throw new ManagerError("reach", `${file} cannot be read: ${(error as Error).message}`);
  }
}

async function missingImages({ file, systems }: Described): Promise<string[]> {
  const names = systems.flatMap((s) => s.disks.flatMap((d) => d.file ?? []));
  const checked = await Promise.all(names.map(async (name) => ((await stat(join(dirname(file), name)).catch(() => null))?.isFile() ? [] : [name])));
  return checked.flat();
}
