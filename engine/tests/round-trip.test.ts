import { execFileSync } from "node:child_process";
import { chmod, link, lstat, mkdir, mkdtemp, open, readdir, readFile, readlink, rm, symlink, truncate, utimes, lutimes, writeFile } from "node:fs/promises";
import { createServer } from "node:net";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { bringBackTree } from "../bring-back.ts";
import { capture } from "../capture.ts";
import { sha256 } from "../digest.ts";
import { listPoints, rebuildIndex } from "../points/point.ts";
import { missingBytes, replicate } from "../replicate.ts";
import { unpaced, type SlicePort } from "../slices.ts";
import { TreeSource } from "../sources/tree-source.ts";
import { Vault } from "../vault.ts";
import { verify } from "../verify.ts";
import { FolderStore } from "../stores/folder-store.ts";
import { noise, temporaryFolder, temporaryVault } from "./temporary.ts";

/** Everything about a tree that must come back: names as bytes, modes, times, links, contents. */
async function fingerprint(root: string): Promise<Record<string, unknown>> {
  const seen: Record<string, unknown> = {};
  const groups = new Map<string, string>();
  const walk = async (folder: Buffer, path: string): Promise<void> => {
    for (const name of await readdir(folder, { encoding: "buffer" })) {
      const full = Buffer.concat([folder, Buffer.from("/"), name]);
      const at = `${path}/${name.toString("latin1")}`;
      const s = await lstat(full, { bigint: true });
      if (s.isSocket() || s.isFIFO()) continue;
      const group = s.isFile() && s.nlink > 1n ? (groups.get(String(s.ino)) ?? (groups.set(String(s.ino), at), at)) : undefined;
      seen[at] = {
        mode: s.mode.toString(8),
        owner: `${s.uid}:${s.gid}`,
        micros: String(s.mtimeNs / 1000n),
        group,
        ...(s.isSymbolicLink() ? { link: (await readlink(full, { encoding: "buffer" })).toString("latin1") } : {}),
        ...(s.isFile() ? { bytes: String(s.size), digest: sha256(await readFile(full)) } : {}),
      };
      if (s.isDirectory()) await walk(full, at);
    }
  };
  await walk(Buffer.from(root), "");
  return seen;
}

async function oddTree(): Promise<string> {
  const root = await temporaryFolder();
  const at = (name: string): string => join(root, name);
  await mkdir(at("sub/deep/er"), { recursive: true });
  await writeFile(at("empty"), "");
  await writeFile(at("Füße-航海-🚢"), "ahoy");
  await writeFile(Buffer.concat([Buffer.from(root), Buffer.from("/raw-"), Buffer.from([0xff, 0xfe, 0x0a])]), "bytes, not text");
  await writeFile(at("sub/script"), "#!/bin/sh\n");
  await chmod(at("sub/script"), 0o4751);
  await writeFile(at("sub/locked"), noise(700_001, 3));
  await chmod(at("sub/locked"), 0o400);
  await link(at("sub/locked"), at("a-hard-link"));
  await symlink("../no/where", at("sub/dangling"));
  await symlink(Buffer.from([0x2f, 0xfa]), at("sub/raw-link"));
  const holey = await open(at("sub/holey.img"), "w");
  await holey.write(Buffer.from("start"), 0, 5, 0);
  await holey.write(Buffer.from("far"), 0, 3, 40 * 1024 * 1024);
  await holey.close();
  await truncate(at("sub/holey.img"), 64 * 1024 * 1024 + 13);
  await utimes(at("sub/holey.img"), 1_234_567_890.123456, 1_234_567_890.123456);
  await utimes(at("empty"), -86_400.5, -86_400.5);
  await lutimes(at("sub/dangling"), 1_111_111_111.000001, 1_111_111_111.000001);
  await chmod(at("sub/deep"), 0o500);
  await utimes(at("sub/deep"), 1_000_000_000.5, 1_000_000_000.5);
  execFileSync("mkfifo", [at("sub/pipe")]);
  return root;
}

describe("a real folder", () => {
  it("comes back identical by way of a second store, sockets and pipes listed", async () => {
    const root = await oddTree();
    const server = createServer().listen(join(root, "socket"));
    await new Promise((done) => server.once("listening", done));
    const before = await fingerprint(root);
    const first = await temporaryVault("first");
    const { publication, config, totals } = await capture(first.vault, await TreeSource.at(root), { name: "odd", capturedAt: 1_700_000_000_000 }, unpaced());
    server.close();
    expect(config.skipped.map((s) => `${s.path}: ${s.reason}`).sort()).toEqual(["socket: a socket", "sub/pipe: a named pipe"]);
    // The holes are neither stored nor sent: two blocks of the image carry data.
    expect(totals.nominalSent).toBeLessThan(2 * 262_144 + 800_000);

    const second = await temporaryVault("second");
    expect(await missingBytes(first.vault, second.vault, publication.id)).toBe(totals.nominalSent);
    expect((await replicate(first.vault, second.vault, publication.id, unpaced())).publication.id).toBe(publication.id);
    expect(await missingBytes(first.vault, second.vault, publication.id)).toBe(0);

    const to = join(await temporaryFolder(), "back");
    await bringBackTree([await second.reopen()], publication.id, to, unpaced());
    expect(await fingerprint(to)).toEqual(before);
    const holey = await lstat(join(to, "sub/holey.img"));
    expect(holey.blocks * 512).toBeLessThan(2 * 1024 * 1024);
    await expect(bringBackTree([second.vault], publication.id, to, unpaced())).rejects.toMatchObject({ kind: "input" });
  });

  it("moves only what changed the second time, and equal chunks once", async () => {
    const root = await temporaryFolder();
    const image = noise(8 * 262_144, 11);
    await writeFile(join(root, "one.img"), image);
    await writeFile(join(root, "two.img"), image);
    const { vault } = await temporaryVault();
    const first = await capture(vault, await TreeSource.at(root), { name: "x", capturedAt: 1 }, unpaced());
    expect(first.totals.nominalSent).toBe(image.length);
    image[3 * 262_144] = image[3 * 262_144]! ^ 1;
    await writeFile(join(root, "two.img"), image);
    const second = await capture(vault, await TreeSource.at(root), { name: "x", capturedAt: 2 }, unpaced());
    expect(second.totals.nominalSent).toBe(262_144);
    expect((await listPoints(vault)).map((p) => p.capturedAt)).toEqual([2, 1]);
  });
});

describe("an interrupted leg", () => {
  it("goes on behind what has arrived, and publishes nothing before all is there", async () => {
    const root = await temporaryFolder();
    await writeFile(join(root, "big.img"), noise(96 * 1024 * 1024, 5));
    const { vault, path } = await temporaryVault("a");
    await capture(vault, await TreeSource.at(root), { name: "big", capturedAt: 9 }, unpaced());
    const id = (await listPoints(vault))[0]!.id;
    const target = await temporaryVault("b");
    let left = 1;
    const cut: SlicePort = {
      slice: async (_key, _bytes, write) => {
        if (left-- === 0) throw new Error("the process dies here");
        return write();
      },
    };
    await expect(replicate(vault, target.vault, id, cut)).rejects.toThrow(/dies/);
    expect(await listPoints(target.vault)).toEqual([]);
    // A new process knows nothing but what lies in the store.
    const again = await target.reopen();
    const rest = await replicate(await Vault.open(new FolderStore("a", path)), again, id, unpaced());
    expect(rest.totals.chunksSent).toBeGreaterThan(0);
    expect(rest.totals.chunksSent).toBeLessThan(384);
    expect((await verify(again)).points.map((p) => p.faults)).toEqual([[]]);
  });
});

describe("damage", () => {
  it("is named by verify, and a whole copy elsewhere is used instead", async () => {
    const root = await temporaryFolder();
    await writeFile(join(root, "data"), noise(3 * 1024 * 1024, 21));
    const one = await temporaryVault("one");
    const two = await temporaryVault("two");
    const { publication } = await capture(one.vault, await TreeSource.at(root), { name: "data", capturedAt: 5 }, unpaced());
    await replicate(one.vault, two.vault, publication.id, unpaced());
    const blobs = join(one.path, "blobs/sha256");
    let largest = { name: "", size: 0 };
    for (const name of await readdir(blobs)) {
      const { size } = await lstat(join(blobs, name));
      if (size > largest.size) largest = { name, size };
    }
    const file = await open(join(blobs, largest.name), "r+");
    await file.write(Buffer.from([1, 2, 3]), 0, 3, 100_000);
    await file.close();

    const found = await verify(await one.reopen());
    expect(found.damaged.map((d) => d.blob)).toEqual([largest.name]);
    expect(found.points[0]!.faults).toHaveLength(1);
    const to = join(await temporaryFolder(), "back");
    await expect(bringBackTree([await one.reopen()], publication.id, join(await temporaryFolder(), "x"), unpaced())).rejects.toMatchObject({ kind: "damaged" });
    const back = await bringBackTree([await one.reopen(), two.vault], publication.id, to, unpaced());
    expect(back.substitutions.map((s) => [s.from, s.used])).toEqual([["one", "two"]]);
    expect(sha256(await readFile(join(to, "data")))).toBe(sha256(await readFile(join(root, "data"))));
  });
});

describe("the store layout", () => {
  it("is read and copied by skopeo as an OCI image layout", async () => {
    const root = await temporaryFolder();
    await writeFile(join(root, "log"), noise(2_000_000, 4));
    const { vault, path } = await temporaryVault();
    const { publication } = await capture(vault, await TreeSource.at(root), { name: "log", capturedAt: 1_700_000_000_000 }, unpaced());
    await rebuildIndex(vault);
    const inspected = JSON.parse(execFileSync("skopeo", ["inspect", "--raw", `oci:${path}:${publication.id}`], { encoding: "utf8" })) as { artifactType: string; config: { digest: string } };
    expect(inspected.artifactType).toBe("application/vnd.ypostasis.point.v1+json");
    expect(inspected.config.digest).toBe(`sha256:${publication.id}`);
    const out = await mkdtemp(join(await temporaryFolder(), "oci-"));
    execFileSync("skopeo", ["--insecure-policy", "copy", `oci:${path}:${publication.id}`, `oci:${out}:copy`], { stdio: "pipe" });
    const blobs = await readdir(join(out, "blobs/sha256"));
    expect(blobs).toContain(publication.id);
    for (const name of blobs) expect(sha256(await readFile(join(out, "blobs/sha256", name)))).toBe(name);
    await rm(out, { recursive: true });
  });
});
