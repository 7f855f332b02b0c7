import { execFile, execFileSync } from "node:child_process";
import { mkdir, readdir, readFile, rename, symlink, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { describe, expect, it, vi } from "vitest";
import { steadyCopies } from "#core/copies/legs.ts";
import { assessReadiness } from "#core/readiness/readiness.ts";
import { noise, temporaryFolder } from "#engine/tests/temporary.ts";
import { readEstate } from "#formats/estate/read-estate.ts";
import { main } from "./main.ts";

type Ended = { code: number; out: string; err: string };

/** The command as people run it, with nothing of ours in its environment. */
const run = (...args: string[]): Promise<Ended> =>
  new Promise((done) => execFile("bin/ypostasis", args, { env: { PATH: process.env["PATH"] ?? "", HOME: "/nonexistent" } }, (error, out, err) => done({ code: error ? Number(error.code) : 0, out, err })));

/** The same within this process, where many are tried one after the other. */
async function runHere(...args: string[]): Promise<Ended> {
  const said = { out: "", err: "" };
  const listen = (to: "out" | "err") => (text: string | Uint8Array) => Boolean((said[to] += String(text)));
  const spies = [vi.spyOn(process.stdout, "write").mockImplementation(listen("out")), vi.spyOn(process.stderr, "write").mockImplementation(listen("err"))];
  try {
    return { code: await main(args), ...said };
  } finally {
    for (const spy of spies) spy.mockRestore();
  }
}

async function tree(): Promise<string> {
  const root = await temporaryFolder();
  await mkdir(join(root, "charts"));
  await writeFile(join(root, "charts/Väinameri.bin"), noise(600_000, 5));
  await writeFile(join(root, "empty"), "");
  await symlink("charts", join(root, "link"));
  return root;
}

describe("the command line", () => {
  it("protects, lists, replicates, verifies and brings back, identical to the last byte", async () => {
    const [source, work] = [await tree(), await temporaryFolder()];
    const [a, b] = [join(work, "a"), join(work, "b")];
    const first = await run("protect", source, "--store", a, "--name", "charts");
    expect(first).toMatchObject({ code: 0, err: "" });
    const id = /^point ([0-9a-f]{64})$/m.exec(first.out)![1]!;
    expect(first.out).toMatch(/charts: 4 entries, 586 KiB, 586 KiB new/);
    expect((await runHere("protect", source, "--store", a, "--name", "charts")).out).toMatch(/0 B new/);
    const listed = JSON.parse((await run("copies", "--store", a, "--json")).out) as { points: { id: string; name: string; capturedAt: string }[] };
    expect(listed.points).toHaveLength(2);
    expect(listed.points.map((p) => p.name)).toEqual(["charts", "charts"]);
    expect(Date.parse(listed.points[0]!.capturedAt)).toBeGreaterThan(Date.now() - 60_000);
    expect((await run("replicate", "--from", a, "--to", b)).out).toBe("2 points copied, 586 KiB sent\n");
    expect((await runHere("replicate", "--from", a, "--to", b)).out).toBe("0 points copied, 0 B sent\n");
    expect(await runHere("verify", "--store", b)).toMatchObject({ code: 0, out: expect.stringContaining("2 of 2 points whole") as string });
    const back = join(work, "back");
    expect(await run("bring-back", "--store", b, "--name", "charts", "--point", id.slice(0, 8), "--to", back)).toMatchObject({ code: 0 });
    execFileSync("diff", ["-r", "--no-dereference", source, back]);
    // And a disk image, any file.
    const image = join(work, "disk.img");
    await writeFile(image, Buffer.concat([noise(300_000, 9), Buffer.alloc(2_000_000), noise(10, 1)]));
    expect((await runHere("protect", image, "--store", a)).code).toBe(0);
    expect((await runHere("bring-back", "--store", a, "--name", "disk.img", "--to", join(work, "img"))).code).toBe(0);
    expect((await readFile(join(work, "img/disk.img"))).equals(await readFile(image))).toBe(true);
  });

  it("ends with 1 where something is damaged and names it, and never brings back wrong bytes", async () => {
    const [source, work] = [await tree(), await temporaryFolder()];
    const store = join(work, "s");
    await runHere("protect", source, "--store", store, "--name", "charts");
    const blobs = join(store, "blobs/sha256");
    const sizes = await Promise.all((await readdir(blobs)).map(async (n) => [n, (await readFile(join(blobs, n))).length] as const));
    const [pack] = sizes.sort((x, y) => y[1] - x[1])[0]!;
    const bytes = await readFile(join(blobs, pack));
    bytes[1_000]! ^= 1;
    await writeFile(join(blobs, pack), bytes);
    const verified = await run("verify", "--store", store);
    expect(verified.code).toBe(1);
    expect(verified.err).toContain(`damaged blob ${pack}`);
    expect(verified.err).toMatch(/point [0-9a-f]{12} of charts .* is not whole/);
    const back = await runHere("bring-back", "--store", store, "--name", "charts", "--to", join(work, "back"));
    expect(back).toMatchObject({ code: 1, err: expect.stringMatching(/^ypostasis: No store has chunk/) as string });
    const other = join(work, "other");
    expect(await runHere("replicate", "--from", store, "--to", other)).toMatchObject({ code: 1, err: expect.stringContaining("was not copied") as string });
    await rename(join(blobs, pack), join(work, "gone"));
    expect((await runHere("verify", "--store", store)).code).toBe(1);
    // Protected again, what was damaged is sent again though nothing has changed, and the old point is whole with it.
    expect((await run("protect", source, "--store", store, "--name", "charts")).out).toMatch(/586 KiB new/);
    expect(await runHere("verify", "--store", store)).toMatchObject({ code: 0, out: expect.stringContaining("2 of 2 points whole") as string });
    expect((await runHere("protect", source, "--store", store, "--name", "charts")).out).toMatch(/0 B new/);
    expect(await runHere("bring-back", "--store", store, "--name", "charts", "--to", join(work, "whole"))).toMatchObject({ code: 0 });
    execFileSync("diff", ["-r", "--no-dereference", source, join(work, "whole")]);
  });

  it("ends with 2 for wrong input, in one clear sentence", async () => {
    const [source, work] = [await tree(), await temporaryFolder()];
    const store = join(work, "s");
    await run("protect", source, "--store", store, "--name", "charts");
    const wrong: [string[], RegExp][] = [
      [["protect", join(work, "nothing"), "--store", store], /it is not there$/],
      [["protect", source, "--store", join(source, "inside")], /lies inside .*never end\. Choose a store elsewhere$/],
      [["protect", join(store, "blobs"), "--store", store], /lies inside the store/],
      [["copies", "--store", join(work, "none")], /There is no store at/],
      [["copies", "--store", source], /There is no store here yet/],
      [["replicate", "--from", store, "--to", store], /the same store/],
      [["bring-back", "--store", store, "--name", "chart", "--to", join(work, "x")], /no point named chart; it has charts$/],
      [["bring-back", "--store", store, "--name", "charts", "--point", "abcdef", "--to", join(work, "x")], /There is no point abcdef here/],
      [["bring-back", "--store", store, "--name", "charts", "--to", source], /is not empty; name a new or empty folder/],
      [["project", "--estate", "nowhere.yaml", "--lose", "x", "--at", "2026-11-24T10:00Z"], /cannot be read \(ENOENT\)/],
      [["project", "--estate", "demo/estate.yaml", "--lose", "tern-quay", "--at", "tomorrow"], /is no instant; write one with its offset/],
      [["project", "--estate", "demo/estate.yaml", "--lose", "atlantis", "--at", "2026-11-24T10:00Z"], /no site, hazard, host, store or link atlantis/],
      [["project", "--estate", "demo/world.yaml", "--lose", "x", "--at", "2026-11-24T10:00Z"], /cannot be used:\nline \d+, /],
      [["protect", source], /required option/],
      [["moor"], /unknown command/],
    ];
    for (const [args, sentence] of wrong) {
      const ended = await runHere(...args);
      expect(ended.code, args.join(" ")).toBe(2);
      expect(ended.err.trimEnd().split("\n")[0] + (ended.err.includes(":\nline") ? "\nline 1, " : ""), args.join(" ")).toMatch(sentence);
    }
    expect(await run("moor")).toEqual(await runHere("moor"));
  });

  it("projects what core projects, and says where the points come from", async () => {
    const at = "2026-11-24T10:20Z";
    const { estate } = readEstate(await readFile("demo/estate.yaml", "utf8"));
    const expected = assessReadiness(estate, steadyCopies(estate, Date.parse(at)), ["tern-quay"], Date.parse(at));
    const json = JSON.parse((await run("project", "--estate", "demo/estate.yaml", "--lose", "tern-quay", "--at", at, "--json")).out) as { points: string; services: { id: string; lossSeconds: number | null; recoverySeconds: number | null; verdict: string; reasons: string[] }[] };
    expect(json.points).toBe("from the policies in steady state");
    expect(json.services.map((s) => [s.id, s.verdict])).toEqual(expected.services.map((s) => [s.service, s.verdict]));
    const gates = json.services.find((s) => s.id === "gates")!;
    expect(gates.recoverySeconds).toBe(expected.services.find((s) => s.service === "gates")!.recovery!.serviceable);
    expect(gates.lossSeconds).toBeGreaterThan(0);
    expect(gates.reasons.length).toBeGreaterThan(1);
    const two = JSON.parse((await runHere("project", "--estate", "demo/estate.yaml", "--lose", "yard-disks", "--lose", "tern-quay", "--at", at, "--json")).out) as typeof json;
    expect(two.services.find((s) => s.id === "gates")!.recoverySeconds!).toBeGreaterThan(gates.recoverySeconds!);
    const words = await runHere("project", "--estate", "demo/estate.yaml", "--lose", "tern-quay", "--at", at);
    expect(words.out).toContain("Recovery points are from the policies in steady state. Detection and decision are assumed.");
  });

  it("compares estate files, and brings tables and files in, in place with comments kept, or not at all", async () => {
    const folder = await temporaryFolder();
    const [estate, table, other] = ["estate.yaml", "machines.csv", "other.yaml"].map((n) => join(folder, n)) as [string, string, string];
    const text = await readFile("demo/estate.yaml", "utf8");
    await writeFile(estate, text);
    await writeFile(table, "hostname,cpu\nnames-1,3\n");
    const shown = await runHere("bring-in", "--estate", estate, "--from", table, "--kind", "machines");
    expect(shown).toMatchObject({ code: 2, err: expect.stringContaining("host: no column is taken for this, and it is needed") as string });
    await writeFile(table, "hostname,host,cpu,memory,disk\nnames-1,,3,,\n");
    expect(await runHere("bring-in", "--estate", estate, "--from", table, "--kind", "machines")).toEqual({ code: 0, err: "", out: "machines names-1 changes\n  cores: 2 -> 3\n1 item in all\n" });
    expect(await readFile(estate, "utf8")).toBe(text);
    expect((await runHere("bring-in", "--estate", estate, "--from", table, "--kind", "machines", "--write")).out).toContain(`${estate} is changed`);
    const changed = await readFile(estate, "utf8");
    expect(changed).toContain("# Tern Sound Ferries: an invented company.");
    expect(readEstate(changed).estate.machines[0]!.cores).toBe(3);
    await writeFile(other, text.replace("name: Fulmar West", "name: Far West"));
    const differences = JSON.parse((await runHere("compare", "--estate", estate, "--with", other, "--json")).out) as { kind: string; id: string }[];
    expect(differences.map((d) => `${d.kind}/${d.id}`)).toEqual(["sites/fulmar-west", "machines/names-1"]);
    await runHere("bring-in", "--estate", estate, "--from", other, "--kind", "estate", "--replace", "--write");
    expect((await runHere("compare", "--estate", estate, "--with", other)).out).toBe("nothing differs\n");
    await writeFile(table, "hostname,host,cpu,memory,disk\nnames-1,moon,,,\n");
    expect(await runHere("bring-in", "--estate", estate, "--from", table, "--kind", "machines", "--write")).toMatchObject({ code: 2, err: expect.stringMatching(/line 2, host: there is no host moon/) as string });
    expect((await runHere("compare", "--estate", estate, "--with", other)).out).toBe("nothing differs\n");
    expect(JSON.parse((await runHere("sites", "--estate", other)).out)).toMatchObject({ type: "FeatureCollection", features: { length: 10 } });
  });

  it("explains each command", async () => {
    const help = await run("--help");
    for (const command of ["project", "protect", "copies", "replicate", "verify", "bring-back", "compare", "bring-in", "sites"]) {
      expect(help.out).toContain(command);
      const own = await runHere(command, "--help");
      expect(own).toMatchObject({ code: 0 });
      expect(own.out.length).toBeGreaterThan(150);
    }
  });
});
