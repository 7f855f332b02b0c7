import { eq } from "drizzle-orm";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { Check, Estate } from "#core/estate/model.ts";
import { writtenItem } from "#formats/estate/written-item.ts";
import { toRaw } from "#formats/estate/write-estate.ts";
import { acceptProposals, changeDependency, dismissProposals } from "../acts/dependencies.ts";
import { undoChange } from "../acts/estate.ts";
import { removeItem, writeItem } from "../acts/items.ts";
import { connectPlatform } from "../acts/platforms.ts";
import { keepCheckAccount, removeService, tryService, writeService } from "../acts/services.ts";
import { keepSetup, tryAllSetup } from "../acts/setup.ts";
import { readActs } from "../db/queries/changes.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { addFlows } from "../db/queries/flows.ts";
import { audit, checkAccounts, checkTrials, observedFlows } from "../db/schema.ts";
import { changeEstate } from "../estate/change-estate.ts";
import { knownProposals } from "../estate/known-proposals.ts";
import { estateAt, estateVersion, shownVersion } from "../estate/last-change.ts";
import { discoverNow } from "../jobs/discover-platform.ts";
import { outlook } from "../outlook.ts";
import { RefusedError } from "../people/roles.ts";
import { readLandings } from "../platforms/landing-view.ts";
import { ORGANISATION, startTrial, type Trial } from "./trial.ts";

let trial: Trial;
beforeAll(async () => {
  trial = await startTrial(undefined, false, true);
});
afterAll(() => trial.close());

const db = () => trial.app.connection.db;
const context = () => ({ app: trial.app, person: trial.coordinator });
const observer = () => ({ app: trial.app, person: trial.observer });
const base = () => estateVersion(db(), ORGANISATION);
const estate = async (): Promise<Estate> => (await loadEstate(db(), ORGANISATION))!;
const needs = async (id: string) => (await estate()).services.find((s) => s.id === id)!.dependsOn;
const dependency = async (service: string, to: string, strength: "hard" | "soft" | null, order?: string[]) => changeDependency(context(), { service, needs: to, strength, ...(order ? { order } : {}), base: await base(), reason: "a test" });

describe("dependencies", () => {
  it("are set, made softer and taken away, for the estate they were shown for, by whoever may", async () => {
    await dependency("ledger", "names", "hard");
    expect(await needs("ledger")).toEqual([{ service: "names", strength: "hard" }]);
    await dependency("ledger", "names", "soft");
    await dependency("ledger", "names", null);
    expect(await needs("ledger")).toEqual([]);
    await expect(changeDependency(context(), { service: "ledger", needs: "names", strength: "hard", base: (await base()) - 1, reason: "late" })).rejects.toThrow(/has changed since/);
    await expect(dependency("ledger", "ledger", "hard")).rejects.toThrow(/cannot need itself/);
    await expect(dependency("ledger", "nobody", "hard")).rejects.toThrow(/no service nobody/);
    await expect(changeDependency(observer(), { service: "ledger", needs: "names", strength: "hard", base: await base(), reason: "x" })).rejects.toThrow(RefusedError);
  });

  it("that close a loop are asked about, and taken with a stated order or as soft ones", async () => {
    const asked = await dependency("names", "app", "hard");
    expect(asked).toEqual({ loop: expect.arrayContaining([{ id: "names", name: "Names" }, { id: "app", name: "Crossings" }]) as unknown });
    expect(await needs("names")).toEqual([]);
    await expect(dependency("names", "app", "hard", ["names", "names"])).rejects.toThrow(/twice in the order/);
    expect(await dependency("names", "app", "hard", ["names", "app"])).toMatchObject({ changed: 2 });
    expect((await estate()).services.map((s) => s.startOrder)).toEqual([1, 2, undefined, undefined, undefined]);
    // Once the loop is gone, so is the order that parted it.
    expect(await dependency("names", "app", null)).toMatchObject({ changed: 2 });
    expect((await estate()).services.every((s) => s.startOrder === undefined)).toBe(true);
    expect(await dependency("names", "app", "soft")).toMatchObject({ changed: 1 });
    await undoChange(context(), await base());
  });
});

describe("what nobody wrote down", () => {
  beforeAll(async () => {
    const access = { kind: "manager" as const, address: `https://127.0.0.1:${trial.around.secrets.platformPort}/quay`, account: "reader", password: trial.around.secrets.platformAccounts["reader"]!.password, fingerprint: "" };
    const asked = await connectPlatform(context(), { id: "quay", site: "quay", access, reason: "a test" });
    await connectPlatform(context(), { id: "quay", site: "quay", access: { ...access, fingerprint: "confirm" in asked ? asked.confirm : "" }, reason: "a test" });
    await discoverNow(db(), trial.app.sealer, ORGANISATION, "quay", await trial.app.world.now(), () => undefined);
  });
  const proposals = async () => knownProposals(db(), await estate(), await trial.app.world.now());
  const open = async (): Promise<string[]> => (await proposals()).open.map((p) => p.key);

  it("is proposed from what the platform saw, once however often it is discovered", async () => {
    await discoverNow(db(), trial.app.sealer, ORGANISATION, "quay", await trial.app.world.now(), () => undefined);
    const flows = await db().select().from(observedFlows).where(eq(observedFlows.organisationId, ORGANISATION));
    expect(flows.find((f) => f.to === "ledger-1")).toMatchObject({ source: "quay", connections: 1_200 });
    expect(await open()).toEqual(["missing/app/ledger", "missing/ledger/app"]);
    // Each alone may be hard; both together close a loop.
    await expect(acceptProposals(context(), { keys: await open(), base: await base(), reason: "seen" })).rejects.toThrow(/close a loop that nothing breaks/);
  });

  it("is accepted into the estate, or dismissed until it is another", async () => {
    await expect(dismissProposals(observer(), { keys: await open(), reason: "x" })).rejects.toThrow(RefusedError);
    await acceptProposals(context(), { keys: ["missing/app/ledger"], base: await base(), reason: "it reads the ledger" });
    expect(await needs("app")).toContainEqual({ service: "ledger", strength: "hard" });
    expect((await proposals()).open).toMatchObject([{ key: "missing/ledger/app", strength: "soft" }]);
    await dismissProposals(context(), { keys: ["missing/ledger/app"], reason: "a nightly report that may fail" });
    expect(await open()).toEqual([]);
    expect((await proposals()).dismissed).toMatchObject([{ key: "missing/ledger/app", reason: "a nightly report that may fail", personName: "coordinator" }]);
    // Without the other dependency it would be a hard one: that was not what was dismissed.
    await dependency("app", "ledger", null);
    expect(await open()).toEqual(["missing/app/ledger", "missing/ledger/app"]);
  });

  it("adds what a table says to what is known, and a machine of no service to one", async () => {
    await addFlows(db(), ORGANISATION, [{ from: "app-1", to: "giant-1", protocol: "tcp", port: 80, connections: 5, lastSeen: await trial.app.world.now() }]);
    expect(await open()).toContain("missing/app/giant");
    const without = await estate();
    await changeEstate(db(), { ...without, services: without.services.map((s) => (s.id === "giant" ? { ...s, machines: [] } : s)) }, { personName: "test", reason: "a test", modelAt: await trial.app.world.now() });
    expect(await open()).toContain("homeless/giant-1");
    await acceptProposals(context(), { keys: ["homeless/giant-1"], base: await base(), reason: "it is the app's" });
    expect((await estate()).services.find((s) => s.id === "app")!.machines).toEqual(["app-1", "giant-1"]);
  });

  it("tells what is missing where machines would land", async () => {
    const now = await estate();
    const [zone] = await readLandings(db(), { ...now, landings: [{ id: "back", site: "quay", platform: "skerry", group: "landed", networks: [], staging: "spare", account: "nobody", media: [], exports: "copies.skua.example:3260" }] }).then((all) => all.filter((l) => l.site === "quay"));
    expect(zone!.machines).toEqual(["feed-1"]);
    expect(zone!.requirements.map((r) => `${r.what} ${r.state}`)).toEqual(["group ready", "staging ready", "account missing", "exports ready"]);
  });
});

describe("services", () => {
  const withChecks = async (id: string, checks: Check[]): Promise<void> => {
    const raw = toRaw(await estate()).services.find((s) => s.id === id)!;
    await writeService(context(), { ...raw, checks: checks.map(({ seconds, ...c }) => ({ ...c, takes: `${seconds} s` })) }, false, await base(), "a test");
  };
  const words = async (id: string): Promise<string[]> => (await tryService(context(), id)).map((t) => `${t.good ? "good" : "wrong"}: ${t.words}`);

  it("are added, described and taken out, and cannot be what cannot stand", async () => {
    const raw = { ...toRaw(await estate()).services.find((s) => s.id === "feed")!, id: "feed-2", name: "Second feed", dependsOn: [{ service: "feed", strength: "hard" as const }] };
    await writeService(context(), raw, true, await base(), "a test");
    await expect(writeService(context(), raw, true, await base(), "again")).rejects.toThrow(/feed-2 already/);
    await expect(writeService(context(), { ...raw, rto: "3 h", mtd: "4 h", wrt: "2 h" }, false, await base(), "too long")).rejects.toThrow(/RTO 3 h and WRT 2 h together pass the MTD of 4 h/);
    await expect(writeService(context(), { ...raw, impact: [{ after: "soon", what: "x" }] }, false, await base(), "no time")).rejects.toThrow(/a duration such as 15 min/);
    await expect(writeService(observer(), raw, false, await base(), "x")).rejects.toThrow(RefusedError);
    await dependency("giant", "feed-2", "soft");
    await removeService(context(), "feed-2", await base(), "a test");
    expect(await needs("giant")).toEqual([{ service: "ledger", strength: "soft" }]);
  });

  it("are tried for what they are, by the stated name server and the kept account", async () => {
    await keepSetup(context(), "names", `127.0.0.1:${trial.around.secrets.surroundPorts.names}`);
    const { name, password } = trial.around.secrets.checkAccount;
    await withChecks("app", [
      { kind: "http", seconds: 5, to: "http://app.skua.example:8080/health" },
      { kind: "tcp", seconds: 5, to: "app.skua.example:8080" },
      { kind: "tcp", seconds: 5, to: "app.skua.example:8099" },
      { kind: "name", seconds: 5, to: "feed.skua.example" },
      { kind: "sign-in", seconds: 5, to: "http://app.skua.example:8080/session" },
      { kind: "command", seconds: 5, to: "crossings ready", machine: "app-1" },
      { kind: "outside", seconds: 5, to: "nowhere.example:25", machine: "app-1" },
    ]);
    expect(await words("app")).toEqual([
      "good: http://app.skua.example:8080/health answers 200",
      "good: app.skua.example:8080 takes connections",
      "wrong: app.skua.example:8099 refuses the connection: nothing listens there",
      expect.stringMatching(/^wrong: 127.0.0.1:\d+ does not know feed.skua.example$/),
      "wrong: no account to sign in with has been given for this service",
      "good: “crossings ready” ends well on app-1",
      "wrong: app-1 does not reach nowhere.example:25 from inside: no answer",
    ]);
    await keepCheckAccount(context(), "app", { name, password: "guess" });
    expect((await words("app"))[4]).toBe("wrong: http://app.skua.example:8080/session refuses probe (401): check the account and the password");
    await keepCheckAccount(context(), "app", { name, password });
    expect((await words("app"))[4]).toBe("good: http://app.skua.example:8080/session lets probe in, and no stranger");
    // A door that lets everybody in proves nothing; one that is broken says so.
    await withChecks("ledger", [{ kind: "sign-in", seconds: 5, to: "http://ledger.skua.example:8080/open" }, { kind: "http", seconds: 5, to: "http://ledger.skua.example:8080/health" }]);
    await keepCheckAccount(context(), "ledger", { name, password });
    expect(await words("ledger")).toEqual([expect.stringContaining("wrong: http://ledger.skua.example:8080/open lets probe in, and a stranger too"), "wrong: http://ledger.skua.example:8080/health answers 503"]);
    expect(JSON.stringify([await db().select().from(checkAccounts), await db().select().from(checkTrials), await db().select().from(audit)])).not.toContain(password);
    await expect(tryService(observer(), "app")).rejects.toThrow(RefusedError);
  });

  it("lean on a coordinator whose names, clock and mail are tried", async () => {
    const { clock, mail } = trial.around.secrets.surroundPorts;
    expect(await keepSetup(context(), "names", `127.0.0.1:${trial.around.secrets.surroundPorts.names}`)).toMatchObject({ good: false, words: expect.stringContaining("does not know feed.skua.example") as string });
    expect(await keepSetup(context(), "clock", `127.0.0.1:${clock}`)).toMatchObject({ good: true });
    expect(await keepSetup(context(), "mail", `127.0.0.1:${mail}`)).toMatchObject({ good: true });
    // A web server is no mail server, and where nothing listens nothing is.
    expect(await keepSetup(context(), "mail", `127.0.0.1:${trial.around.secrets.bucketPort}`)).toMatchObject({ good: false });
    expect(await keepSetup(context(), "mail", "127.0.0.1:1")).toMatchObject({ good: false, words: "127.0.0.1:1 refuses the connection: nothing listens there" });
    expect((await tryAllSetup(context())).map((t) => t.good)).toEqual(expect.arrayContaining([true, false, false]));
    await expect(tryAllSetup(observer())).rejects.toThrow(RefusedError);
  });
});

describe("the estate as it was", () => {
  it("is looked at and not changed: what was shown of it never undoes what came since", async () => {
    const before = await trial.app.world.now();
    const now = await estate();
    await changeEstate(db(), { ...now, hosts: now.hosts.map((h) => (h.id === "q1" ? { ...h, starts: 9 } : h)) }, { personName: "test", reason: "a test", modelAt: before + 1 });
    const at = new Date(before - 60_000).toISOString();
    const shown = async (asked: string | null) => {
      const view = (await outlook(trial.app, ORGANISATION, { at: asked, lost: [] }))!;
      return { base: await shownVersion(db(), ORGANISATION, view.changedSince), text: writtenItem(view.estate, "hosts", "q1")! };
    };
    const [past, today] = [await shown(at), await shown(null)];
    expect([past.text, today.text]).toEqual([expect.stringContaining("starts: 4"), expect.stringContaining("starts: 9")]);
    const write = (view: typeof past) => writeItem(context(), { kind: "hosts", id: "q1", base: view.base, reason: "a test" }, view.text.replace("cores: 64", "cores: 65"));
    await expect(write(past)).rejects.toThrow(/Bring the needle back to now/);
    await expect(removeService(context(), "app", past.base, "a test")).rejects.toThrow(/Bring the needle back to now/);
    await write(today);
    expect((await estate()).hosts.find((h) => h.id === "q1")).toMatchObject({ starts: 9, cores: 65 });
    await expect(removeItem(context(), { kind: "hosts", id: "q1", base: await base(), reason: "a test" })).rejects.toThrow(/cannot be taken out: .*there is no host q1/);
    await expect(removeItem(observer(), { kind: "hosts", id: "q1", base: await base(), reason: "x" })).rejects.toThrow(RefusedError);
  });

  const byIds = (e: Estate): Estate => Object.fromEntries(Object.entries(e).map(([k, v]) => [k, Array.isArray(v) ? [...(v as { id: string }[])].sort((a, b) => (a.id < b.id ? -1 : 1)) : v])) as Estate;

  it("is given back for every instant, whatever came, went and changed in between", async () => {
    const begins = await trial.app.world.now();
    const snapshots: { at: number; estate: Estate }[] = [{ at: begins + 500, estate: await estate() }];
    const edits: ((e: Estate) => void)[] = [
      (e) => void (e.machines[0]!.cores += 2),
      (e) => void e.machines.push({ ...e.machines[0]!, id: "later-1", name: "later-1" }),
      (e) => void (e.machines.at(-1)!.memory *= 2),
      (e) => void (e.policies = []),
      (e) => void (e.machines = e.machines.filter((m) => m.id !== "later-1")),
      (e) => void (e.assumptions = { ...e.assumptions, detection: 999 }),
      (e) => void (e.machines[0]!.cores += 2),
    ];
    for (const [i, edit] of edits.entries()) {
      const next = structuredClone(await estate());
      edit(next);
      await changeEstate(db(), next, { personName: "test", reason: `edit ${i}`, modelAt: begins + (i + 1) * 1_000 });
      snapshots.push({ at: begins + (i + 1) * 1_000 + 500, estate: next });
    }
    const today = await estate();
    for (const { at, estate: was } of snapshots) expect(byIds((await estateAt(db(), ORGANISATION, today, at)).estate)).toEqual(byIds(was));
    expect(await estateAt(db(), ORGANISATION, today, begins + 6_500)).toMatchObject({ changed: 1 });
    // Before it was described it is taken as it was described first.
    expect(byIds((await estateAt(db(), ORGANISATION, today, 0)).estate).machines.map((m) => m.id)).toEqual(byIds(trial.estate).machines.map((m) => m.id));
    const acts = await readActs(db(), ORGANISATION, 3);
    expect(acts.map((a) => [a.reason, a.total, a.items[0]!.change])).toEqual([["edit 6", 1, "changes"], ["edit 5", 1, "changes"], ["edit 4", 1, "goes"]]);
    expect((await readActs(db(), ORGANISATION, 9, { item: { kind: "machines", id: "later-1" } })).map((a) => a.items[0]!.change)).toEqual(["goes", "changes", "appears"]);
    expect((await readActs(db(), ORGANISATION, 1, { before: acts[0]!.id }))[0]!.reason).toBe("edit 5");
  });
});
