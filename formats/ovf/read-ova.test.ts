import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";
import { mkdtemp, readFile, rm, symlink, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { pack } from "tar-stream";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { isTar, readOva } from "./read-ova.ts";
import { OvfError } from "./read-ovf.ts";

const DESCRIPTOR = `<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1" xmlns:rasd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData">
<References><File ovf:id="f1" ovf:href="disk-1.img"/></References>
<DiskSection><Disk ovf:diskId="d1" ovf:fileRef="f1" ovf:capacity="10" ovf:capacityAllocationUnits="byte * 2^30"/></DiskSection>
<VirtualSystem ovf:id="kiosk"><VirtualHardwareSection>
<Item><rasd:ResourceType>3</rasd:ResourceType><rasd:VirtualQuantity>2</rasd:VirtualQuantity></Item>
<Item><rasd:ResourceType>4</rasd:ResourceType><rasd:AllocationUnits>byte * 2^20</rasd:AllocationUnits><rasd:VirtualQuantity>512</rasd:VirtualQuantity></Item>
<Item><rasd:ResourceType>17</rasd:ResourceType><rasd:HostResource>ovf:/disk/d1</rasd:HostResource></Item>
</VirtualHardwareSection></VirtualSystem></Envelope>`;
const IMAGE = Buffer.alloc(300_000, 9);
const sha256 = (bytes: Buffer | string): string => createHash("sha256").update(bytes).digest("hex");
const MANIFEST = `SHA256(kiosk.ovf)= ${sha256(DESCRIPTOR)}\nSHA256(disk-1.img)= ${sha256(IMAGE)}\n`;

let folder: string;
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), "ypo-ova-"));
  await writeFile(join(folder, "kiosk.ovf"), DESCRIPTOR);
  await writeFile(join(folder, "kiosk.mf"), MANIFEST);
  await writeFile(join(folder, "disk-1.img"), IMAGE);
  await symlink("/etc/passwd", join(folder, "link.img"));
});
afterAll(() => rm(folder, { recursive: true }));

/** An archive as tar writes it, in the order given. */
const archived = (names: string[], ...options: string[]): Buffer => execFileSync("tar", ["--format=ustar", "-C", folder, ...options, "-cf", "-", ...names], { maxBuffer: 2 ** 26 });
const made = async (entries: [string, Buffer | string][]): Promise<Buffer> => {
  const archive = pack();
  for (const [name, bytes] of entries) archive.entry({ name }, bytes as Buffer);
  archive.finalize();
  const parts: Buffer[] = [];
  for await (const part of archive) parts.push(Buffer.from(part as Uint8Array));
  return Buffer.concat(parts);
};
const refused = async (bytes: Buffer, words: RegExp): Promise<void> => {
  await expect(readOva(bytes)).rejects.toThrow(OvfError);
  await expect(readOva(bytes)).rejects.toThrow(words);
};

describe("OVA archives", () => {
  it("are read as tar writes them, whole or as they stream by, their manifest held", async () => {
    const bytes = archived(["kiosk.ovf", "kiosk.mf", "disk-1.img"]);
    expect(isTar(bytes)).toBe(true);
    expect(isTar(Buffer.from(DESCRIPTOR))).toBe(false);
    const read = await readOva(bytes);
    expect(read).toMatchObject({ checked: 2, systems: [{ id: "kiosk", cores: 2, disks: [{ bytes: 10 * 2 ** 30, file: "disk-1.img" }] }] });
    const path = join(folder, "kiosk.ova");
    await writeFile(path, bytes);
    expect(await readOva(createReadStream(path, { highWaterMark: 1_000 }) as AsyncIterable<Uint8Array>)).toEqual(read);
    expect((await readOva(archived(["kiosk.ovf", "disk-1.img"]))).checked).toBeNull();
  });

  it("are refused where an entry leaves the archive or is no file", async () => {
    for (const name of ["../etc/cron", "/etc/cron", "a/../../b", "a\\..\\b"]) await refused(await made([["k.ovf", DESCRIPTOR], [name, "x"]]), /would lie outside the archive/);
    await refused(archived(["kiosk.ovf", "link.img"]), /is a symlink; an OVA holds files only/);
    await refused(await made([["k.ovf", DESCRIPTOR.replace('href="disk-1.img"', 'href="../disk-1.img"')], ["disk-1.img", IMAGE]]), /does not lie beside the descriptor/);
  });

  it("are refused where something is missing, damaged, doubled or cut", async () => {
    await refused(archived(["disk-1.img", "kiosk.ovf"]), /its first entry has to be the descriptor/);
    await refused(archived(["kiosk.ovf"]), /names "disk-1.img", and the archive does not hold it/);
    await refused(await made([["k.ovf", DESCRIPTOR], ["k.mf", MANIFEST.replace("kiosk.ovf", "k.ovf")], ["disk-1.img", Buffer.alloc(300_000, 8)]]), /does not have the digest that the manifest states/);
    await refused(await made([["k.ovf", DESCRIPTOR], ["k.mf", "MD5(k.ovf)= 00"], ["disk-1.img", IMAGE]]), /a line that is none/);
    await refused(await made([["k.ovf", DESCRIPTOR], ["disk-1.img", IMAGE], ["disk-1.img", IMAGE]]), /twice/);
    await refused(archived(["kiosk.ovf", "disk-1.img"]).subarray(0, 100_000), /cannot be read to its end/);
    await refused(await made([["k.ovf", DESCRIPTOR.replace("<Envelope", '<!DOCTYPE x [<!ENTITY a "b">]><Envelope')], ["disk-1.img", IMAGE]]), /a document type is not taken/);
    await refused(await made([]), /the archive is empty/);
    expect((await readFile(join(folder, "disk-1.img"))).equals(IMAGE)).toBe(true);
  });
});
