import { readdirSync, readFileSync } from "node:fs";
import { stat } from "node:fs/promises";
import { join } from "node:path";
import { eq } from "drizzle-orm";
import pg from "pg";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { EngineError } from "#engine/errors.ts";
import { writeEstateYaml } from "#formats/estate/write-estate.ts";
import { acceptImport, previewImport, undoChange } from "../acts/estate.ts";
import { connect, isDatabaseDown, migrateToNewest } from "../db/connect.ts";
import { readFlows } from "../db/queries/flows.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { audit, estateChanges, memberships, organisations, people, sessions, storeAccess, works } from "../db/schema.ts";
import { changeEstate } from "../estate/change-estate.ts";
import { lastChange } from "../estate/last-change.ts";
import { flowStates, WorkOwners } from "../jobs/under-way.ts";
import { forOneReading, outlook } from "../outlook.ts";
import { mustAct, RefusedError } from "../people/roles.ts";
import { readSessionToken, sessionCookie } from "../people/session-cookie.ts";
import { addMembership, addPerson, serve, servedBy, signIn, signOut, whoIs } from "../people/sign-in.ts";
import { Sealer } from "../secrets.ts";
import { ORGANISATION, startTrial, type Trial } from "./trial.ts";

let trial: Trial;
beforeAll(async () => {
  trial = await startTrial();
});
afterAll(() => trial.close());
const db = (): Trial["app"]["connection"]["db"] => trial.app.connection.db;

describe("sign-in", () => {
  it("gives a session for name and password that fit, remembers it by its hash only, and ends it", async () => {
    await addPerson(db(), { organisationId: ORGANISATION, signInName: "night", name: "N. Watch", role: "observer", password: "a long enough one" });
    expect(await signIn(db(), "night", "a wrong one")).toBeUndefined();
    expect(await signIn(db(), "nobody", "a long enough one")).toBeUndefined();
    const token = (await signIn(db(), "  Night ", "a long enough one"))!;
    expect(await whoIs(db(), token)).toMatchObject({ name: "N. Watch", role: "observer", organisationId: ORGANISATION, timeZone: "Europe/Tallinn" });
    expect(await whoIs(db(), `${token}x`)).toBeUndefined();
    const stored = JSON.stringify([await db().select().from(sessions), await db().select().from(people)]);
    expect(stored).not.toContain(token);
    expect(stored).not.toContain("a long enough one");
    expect(stored).toContain("$argon2id$");
    await db().update(sessions).set({ expiresAt: new Date(Date.now() - 1_000) });
    expect(await whoIs(db(), token)).toBeUndefined();
    const again = (await signIn(db(), "night", "a long enough one"))!;
    await signOut(db(), again);
    expect(await whoIs(db(), again)).toBeUndefined();
  });

  it("works for one organisation at a time, and only for those that are served", async () => {
    await db().insert(organisations).values({ id: "other", name: "Other Lines", timeZone: "Europe/Oslo" });
    await addPerson(db(), { organisationId: ORGANISATION, signInName: "both", name: "B. Both", role: "coordinator", password: "a long enough one" });
    const token = (await signIn(db(), "both", "a long enough one"))!;
    const me = (await whoIs(db(), token))!;
    await expect(serve(db(), token, me, "other")).rejects.toThrow(RefusedError);
    await addMembership(db(), "both", "other", "observer");
    expect((await servedBy(db(), me.id)).map((o) => o.id)).toEqual([ORGANISATION, "other"]);
    await serve(db(), token, me, "other");
    // The role is the one held there.
    expect(await whoIs(db(), token)).toMatchObject({ organisationId: "other", organisation: "Other Lines", role: "observer", timeZone: "Europe/Oslo" });
    // Another session of the same person stays where it is.
    expect(await whoIs(db(), (await signIn(db(), "both", "a long enough one"))!)).toMatchObject({ organisationId: ORGANISATION, role: "coordinator" });
    await db().delete(memberships).where(eq(memberships.personId, me.id));
    expect(await whoIs(db(), token)).toMatchObject({ organisationId: ORGANISATION, role: "coordinator" });
  });

  it("shows of what moves only what is one's own organisation's", async () => {
    const of = async (organisationId: string): Promise<string> => (await db().insert(works).values({ organisationId, kind: "copy", subject: { kind: "copy", machine: "m", policy: "p" }, foreground: true, personName: "x", reason: "x", state: "dropped" }).returning())[0]!.id;
    const [mine, others] = [await of(ORGANISATION), await of("elsewhere")];
    const flow = (work: string) => ({ key: `work:${work}/machine>quay-disks/chunks/1`, bytes: 10, left: 4, rate: 1 });
    const flows = flowStates([flow(mine), flow(others), flow("00000000-0000-4000-8000-000000000000"), { key: "schedule:x/y/1", bytes: 1, left: 1, rate: 1 }]);
    const owners = new WorkOwners(db());
    for (let again = 0; again < 2; again++) {
      const seen = await owners.byOrganisation(flows);
      expect([...seen].map(([organisation, list]) => [organisation, list.map((f) => f.work)])).toEqual([[ORGANISATION, [mine]], ["elsewhere", [others]]]);
    }
  });

  it("keeps its token in a cookie no script and no other site sees", () => {
    const cookie = sessionCookie("tok");
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    expect(readSessionToken(`a=b; ${cookie.split(";")[0]}`)).toBe("tok");
    expect(readSessionToken("other=1")).toBeUndefined();
    expect(() => mustAct(trial.observer)).toThrow(RefusedError);
    expect(() => mustAct(trial.coordinator)).not.toThrow();
  });
});

describe("secrets", () => {
  it("are sealed at rest under a key only its owner reads, differ each time, and do not open when touched", async () => {
    const rows = await db().select().from(storeAccess);
    const { bucketSecret, bucketKey } = trial.around.secrets;
    expect(JSON.stringify(rows)).not.toContain(bucketSecret);
    expect(JSON.stringify(rows)).not.toContain(bucketKey);
    const { sealer } = trial.app;
    expect(sealer.open<{ secretAccessKey: string }>(rows.find((r) => r.kind === "bucket")!.sealed).secretAccessKey).toBe(bucketSecret);
    const [a, b] = [sealer.seal("x"), sealer.seal("x")];
    expect(a).not.toBe(b);
    const touched = Buffer.from(a, "base64");
    touched[touched.length - 1]! ^= 1;
    expect(() => sealer.open(touched.toString("base64"))).toThrow();
    const keyFile = join(trial.data, "secret.key");
    expect((await stat(keyFile)).mode & 0o077).toBe(0);
    expect((await Sealer.fromFile(keyFile)).open(a)).toBe("x");
    expect((await stat(join(trial.data, "secrets.json"))).mode & 0o077).toBe(0);
  });
});

describe("an estate file that is brought in", () => {
  const context = () => ({ app: trial.app, person: trial.coordinator });

  it("shows what it would change and changes nothing; accepted, it does just that, with its reason", async () => {
    const before = (await loadEstate(db(), ORGANISATION))!;
    const wanted = structuredClone(before);
    wanted.sites.push({ id: "north", name: "North", kind: "region", country: "SE" });
    wanted.machines[0]!.cores += 1;
    const text = writeEstateYaml(wanted);
    const shown = await previewImport(context(), { form: "estate", text: text, mode: "merge" });
    expect(shown.differences.map((d) => [d.kind, d.id, d.change])).toEqual([["sites", "north", "appears"], ["machines", wanted.machines[0]!.id, "changes"]]);
    expect(await loadEstate(db(), ORGANISATION)).toEqual(before);
    expect(await acceptImport(context(), { form: "estate", text: text, mode: "merge" }, shown.base, "from the spreadsheet")).toEqual({ changed: 2 });
    expect(await loadEstate(db(), ORGANISATION)).toEqual(wanted);
    expect(await db().select().from(audit).where(eq(audit.reason, "from the spreadsheet"))).toHaveLength(1);
    // What was shown holds no longer, nor do both of two that are accepted at once.
    const { version } = (await lastChange(db(), ORGANISATION))!;
    const two = await Promise.allSettled(["one", "other"].map(async (reason) => acceptImport(context(), { form: "estate", text: text.replace("North", reason), mode: "merge" }, version, reason)));
    expect(two.map((t) => t.status).sort()).toEqual(["fulfilled", "rejected"]);
    await undoChange(context(), (await lastChange(db(), ORGANISATION))!.version);
    await expect(acceptImport(context(), { form: "estate", text: text, mode: "merge" }, shown.base, "once more")).rejects.toThrow(/has changed since this was shown/);
    // Replacing by the file of before takes back what came.
    const back = await previewImport(context(), { form: "estate", text: writeEstateYaml(before), mode: "replace" });
    expect(back.differences.map((d) => d.change)).toEqual(["goes", "changes"]);
    await acceptImport(context(), { form: "estate", text: writeEstateYaml(before), mode: "replace" }, back.base, "taken back");
    expect(await loadEstate(db(), ORGANISATION)).toEqual(before);
  });

  it("may be a table, a descriptor or sites: each put into what there is, or refused with what would be right", async () => {
    const before = (await loadEstate(db(), ORGANISATION))!;
    const table = (text: string) => ({ form: "table" as const, bytes: new TextEncoder().encode(text), kind: "machines" as const, mapping: null });
    const [machine, host] = [before.machines[0]!.id, before.hosts[0]!.id];
    const good = table(`machine,host,cores,memory,disk size\n${machine},,31,,\nnew-1,${host},1,1 GiB,1 GiB\n`);
    const shown = await previewImport(context(), good);
    expect(shown.differences.map((d) => [d.id, d.change])).toEqual([[machine, "changes"], ["new-1", "appears"]]);
    expect(shown.notes.join()).toMatch(/Of 1 new machine something is not stated/);
    expect(await acceptImport(context(), good, shown.base, "from the spreadsheet, again")).toEqual({ changed: 2 });
    const seen = { form: "table" as const, bytes: new TextEncoder().encode("from,to,port,count,last seen\napp-1,names-1,53,9,2026-03-01T10:00:00Z\n"), kind: "flows" as const, mapping: null };
    expect(await previewImport(context(), seen)).toMatchObject({ flows: 1, differences: [] });
    for (const times of [1, 2]) {
      expect(await acceptImport(context(), seen, 0, "from the flow log")).toEqual({ changed: 1 });
      expect(await readFlows(db(), ORGANISATION, 10)).toMatchObject({ total: 1, flows: [{ from: "app-1", to: "names-1", port: 53, connections: 9 * times }] });
    }
    const bad = await previewImport(context(), table(`machine,host,cores,memory,disk size\nnew-2,moon,1,1 GiB,1 GiB\n`));
    expect(bad).toMatchObject({ differences: [], table: { faults: [{ line: 2, column: "host" }] } });
    await expect(acceptImport(context(), table(`machine\n`), bad.base, "no")).rejects.toThrow(/rows that are wrong; nothing was taken in/);
    await expect(previewImport(context(), { form: "ovf", text: "<!DOCTYPE x []><x/>", host })).rejects.toThrow(/The descriptor cannot be taken in: a document type is not taken/);
    await expect(previewImport(context(), { form: "sites", text: "{}" })).rejects.toThrow(/The sites cannot be taken in: the file is no GeoJSON/);
    // The newest change can be taken back, by whoever may act, as long as it is the newest.
    const last = (await lastChange(db(), ORGANISATION))!;
    expect(last).toMatchObject({ items: 2, reason: "from the spreadsheet, again", personName: "coordinator" });
    await expect(undoChange({ app: trial.app, person: trial.observer }, last.version)).rejects.toBeInstanceOf(RefusedError);
    await expect(undoChange({ app: trial.app, person: { ...trial.coordinator, organisationId: "elsewhere" } }, last.version)).rejects.toThrow(/no longer the newest/);
    expect(await undoChange(context(), last.version)).toEqual({ changed: 2 });
    expect(await loadEstate(db(), ORGANISATION)).toEqual(before);
    await expect(undoChange(context(), last.version)).rejects.toThrow(/no longer the newest/);
    expect(await undoChange(context(), (await lastChange(db(), ORGANISATION))!.version)).toEqual({ changed: 2 });
    expect((await loadEstate(db(), ORGANISATION))!.machines.map((m) => m.id)).toContain("new-1");
    await undoChange(context(), (await lastChange(db(), ORGANISATION))!.version);
    expect(await loadEstate(db(), ORGANISATION)).toEqual(before);
  });

  it("is refused whole where it is broken, another's, or cannot stand with what there is, and to observers", async () => {
    const before = (await loadEstate(db(), ORGANISATION))!;
    const text = writeEstateYaml(before);
    await expect(previewImport(context(), { form: "estate", text: text.replace(/host: \S+/, "host: nowhere"), mode: "merge" })).rejects.toMatchObject({ faults: [{ message: expect.stringMatching(/there is no host nowhere/) as string, line: expect.any(Number) as number }] });
    await expect(previewImport(context(), { form: "estate", text: text.replace(`id: ${ORGANISATION}`, "id: others"), mode: "merge" })).rejects.toThrow(/describes the organisation others, and you are working for/);
    // By itself it stands; beside a hazard of the same name it does not.
    const other = structuredClone(before);
    other.hazards.push({ id: before.stores[0]!.id, name: "the same id", kind: "flood", takes: [before.sites[0]!.id] });
    other.stores = [];
    other.policies = [];
    await expect(previewImport(context(), { form: "estate", text: writeEstateYaml(other), mode: "merge" })).rejects.toThrow(/Together with what there is, the file cannot stand: .*needs a name of its own/);
    await expect(previewImport({ app: trial.app, person: trial.observer }, { form: "estate", text: text, mode: "merge" })).rejects.toBeInstanceOf(RefusedError);
    await expect(acceptImport({ app: trial.app, person: trial.observer }, { form: "estate", text: text, mode: "merge" }, 0, "no")).rejects.toBeInstanceOf(RefusedError);
    expect(await loadEstate(db(), ORGANISATION)).toEqual(before);
  });
});

describe("the estate's past", () => {
  it("appends who, when by both clocks, why, before and after for what changed, and nothing for what did not", async () => {
    const before = (await loadEstate(db(), ORGANISATION))!;
    expect(before).toEqual(trial.estate);
    const count = async (): Promise<number> => (await db().select().from(estateChanges)).length;
    const had = await count();
    expect(await changeEstate(db(), before, { personName: "nobody", reason: "the same again", modelAt: 5 })).toEqual({ changed: 0 });
    expect(await count()).toBe(had);
    const changed = structuredClone(before);
    changed.services[0]!.rto = 60;
    changed.machines = changed.machines.filter((m) => m.id !== "giant-1");
    changed.services = changed.services.filter((s) => s.id !== "giant");
    expect(await changeEstate(db(), changed, { personName: "R.", reason: "giant sold", modelAt: 7_000 })).toEqual({ changed: 3 });
    const rows = await db().select().from(estateChanges).where(eq(estateChanges.reason, "giant sold"));
    expect(rows.map((r) => [r.kind, r.itemId, r.before === null, r.after === null, r.personName, r.modelAt]).sort()).toEqual([
      ["machines", "giant-1", false, true, "R.", 7_000],
      ["services", "giant", false, true, "R.", 7_000],
      ["services", "names", false, false, "R.", 7_000],
    ]);
    expect((rows.find((r) => r.itemId === "names")!.before as { rto: number }).rto).toBe(1_800);
    // Undone by the rows alone: the estate as it was.
    const undone = structuredClone((await loadEstate(db(), ORGANISATION))!) as unknown as Record<string, { id: string }[]>;
    for (const r of rows) undone[r.kind] = [...undone[r.kind]!.filter((x) => x.id !== r.itemId), r.before as { id: string }];
    for (const kind of ["services", "machines"] as const) expect([...undone[kind]!].sort((a, b) => (a.id < b.id ? -1 : 1))).toEqual([...before[kind]].sort((a, b) => (a.id < b.id ? -1 : 1)));
    expect(await db().select().from(audit).where(eq(audit.reason, "giant sold"))).toHaveLength(1);
  });

  it("is read again only once it has changed, whoever changed it, and nobody can change what all share", async () => {
    const first = (await loadEstate(db(), ORGANISATION))!;
    expect(await loadEstate(db(), ORGANISATION)).toBe(first);
    expect(() => (first.services[0]!.rto = 1)).toThrow(TypeError);
    expect(() => first.machines.pop()).toThrow(TypeError);
    // Another process has a connection and a memory of its own.
    const other = connect(trial.around.settings.databaseUrl);
    const theirs = structuredClone((await loadEstate(other.db, ORGANISATION))!);
    theirs.services[0]!.rto += 60;
    theirs.organisation.name = "Skua Lines";
    await changeEstate(other.db, theirs, { personName: "R.", reason: "a minute more", modelAt: 8_000 });
    const second = (await loadEstate(db(), ORGANISATION))!;
    expect(second).toEqual(theirs);
    expect(second).not.toBe(first);
    // A new name alone is met too, though no item has changed.
    await other.db.update(organisations).set({ name: first.organisation.name }).where(eq(organisations.id, ORGANISATION));
    expect((await loadEstate(db(), ORGANISATION))!.organisation).toEqual(first.organisation);
    await other.pool.end();
  });

  it("belongs to one organisation: another has none of it", async () => {
    expect(await loadEstate(db(), "elsewhere")).toBeNull();
  });
});

describe("one question asked by frame and page", () => {
  it("is answered once within a request that only reads, and anew in every other", async () => {
    const asked = { at: null, lost: [] };
    const one = forOneReading(trial.app);
    const [frame, page, other] = await Promise.all([outlook(one, ORGANISATION, asked), outlook(one, ORGANISATION, { ...asked }), outlook(one, ORGANISATION, { at: null, lost: ["quay"] })]);
    expect(page).toBe(frame);
    expect(other).not.toBe(frame);
    expect(await outlook(one, "elsewhere", asked)).toBeNull();
    expect(await outlook(trial.app, ORGANISATION, asked)).not.toBe(await outlook(trial.app, ORGANISATION, asked));
    expect(await outlook(forOneReading(trial.app), ORGANISATION, asked)).not.toBe(frame);
  });
});

describe("migrations", () => {
  it("carry the data of the first version to the newest", async () => {
    const url = new URL(trial.around.cluster.url);
    await trial.app.connection.pool.query("create database older");
    url.pathname = "/older";
    const folder = "server/db/migrations";
    const [first] = readdirSync(folder).filter((n) => n.endsWith(".sql")).sort();
    const client = new pg.Client({ connectionString: url.href });
    await client.connect();
    for (const statement of readFileSync(join(folder, first!), "utf8").split("--> statement-breakpoint")) await client.query(statement);
    // As the migrator would have noted it.
    const journal = JSON.parse(readFileSync(join(folder, "meta/_journal.json"), "utf8")) as { entries: { when: number }[] };
    await client.query("create schema drizzle");
    await client.query("create table drizzle.__drizzle_migrations (id serial primary key, hash text not null, created_at bigint)");
    await client.query("insert into drizzle.__drizzle_migrations (hash, created_at) values ('first', $1)", [journal.entries[0]!.when]);
    await client.query("insert into organisation values ('o', 'Old', 'UTC')");
    await client.query("insert into work (organisation_id, kind, subject, state, foreground, person_name, reason) values ('o', 'copy', '{}', 'failed', true, 'p', 'kept')");
    // A service of then: one check, nothing of impact, hours and contacts.
    const service = JSON.stringify({ id: "s", name: "S", check: { kind: "tcp", seconds: 10 } });
    await client.query("insert into estate_item values ('o', 'services', 's', 0, $1)", [service]);
    await client.query("insert into estate_change (organisation_id, model_at, person_name, reason, kind, item_id, before, after) values ('o', 1, 'p', 'r', 'services', 's', null, $1)", [service]);
    await client.end();
    const connection = connect(url.href);
    await migrateToNewest(connection);
    await migrateToNewest(connection);
    expect((await connection.pool.query("select reason, state from work")).rows).toEqual([{ reason: "kept", state: "failed" }]);
    const carried = { id: "s", name: "S", checks: [{ kind: "tcp", seconds: 10 }], impact: [], hours: [], contacts: [] };
    expect((await connection.pool.query("select body from estate_item")).rows).toEqual([{ body: carried }]);
    expect((await connection.pool.query("select before, after from estate_change")).rows).toEqual([{ before: null, after: carried }]);
    await connection.pool.query("update work set state = 'dropped'");
    expect((await connection.pool.query("select count(*)::int as n from store_usage")).rows).toEqual([{ n: 0 }]);
    await connection.pool.end();
  });

  it("a database that is away is told from a query that is wrong", async () => {
    const away = connect("postgres://nobody@127.0.0.1:9/none");
    const gone = await away.pool.query("select 1").catch((e: unknown) => e);
    expect(isDatabaseDown(gone)).toBe(true);
    await away.pool.end();
    const wrong = await trial.app.connection.pool.query("select nonsense").catch((e: unknown) => e);
    expect(isDatabaseDown(wrong)).toBe(false);
    expect(isDatabaseDown(new Error("other", { cause: gone }))).toBe(true);
    // A bucket that refuses the connection is not the database.
    expect(isDatabaseDown(new EngineError("unreachable", "the bucket does not answer", {}, { cause: gone }))).toBe(false);
  });
});
