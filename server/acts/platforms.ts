import { and, eq, inArray, sql } from "drizzle-orm";
import { compareDiscovery, type Finding, withFindings } from "#core/estate/discovery.ts";
import { listWords } from "#core/wording/amounts.ts";
import { loadEstate } from "../db/queries/estate.ts";
import { platformConnections, works } from "../db/schema.ts";
import { changeEstate } from "../estate/change-estate.ts";
import { checked, standing, unlessMoved } from "../estate/standing.ts";
import { CannotError, mustAct } from "../people/roles.ts";
import type { ManagerAccess, Trial } from "../platforms/manager.ts";
import { openManager } from "../platforms/open-manager.ts";
import { act, type ActContext } from "./act.ts";

export type Connecting = { id: string; site: string; access: ManagerAccess; reason: string };
/** What cannot be lived with: without these nothing can be listed. */
const NEEDED: readonly Trial["what"][] = ["reach", "certificate", "account", "right"];

/**
 * Tries a platform and connects it only where it can be used; one of the same name is reached anew.
 * Where no certificate has been confirmed yet, gives the fingerprint that it shows instead.
 */
export async function connectPlatform(context: ActContext, { id, site, access, reason }: Connecting): Promise<{ connected: Trial[] } | { confirm: string }> {
  mustAct(context.person);
  const { organisationId } = context.person;
  const estate = await loadEstate(context.app.connection.db, organisationId);
  if (!estate) throw new CannotError("A platform belongs to an estate, and none is described yet. Bring in an estate file first");
  if (access.kind === "image-folder" && !estate.hosts.some((h) => h.id === access.host)) throw new CannotError("Choose the host on which the folder's machines would run");
  const at = access.kind === "image-folder" ? estate.hosts.find((h) => h.id === access.host)!.site : site;
  if (!estate.sites.some((s) => s.id === at)) throw new CannotError("Choose the site at which the platform stands");
  const trials = await openManager(access).try();
  const certificate = trials.find((t) => t.what === "certificate");
  if (access.kind === "manager" && access.fingerprint === "" && certificate?.shown) return { confirm: certificate.shown };
  const wrong = trials.find((t) => t.outcome === "wrong" && NEEDED.includes(t.what));
  if (wrong) throw new CannotError(`It was not connected: ${wrong.words}`);
  const shown = access.kind === "manager" ? { address: access.address, account: access.account } : { address: access.path, account: "" };
  await act(context, { act: "platform connected", subject: `${id} (${shown.address})`, reason }, async (tx) => {
    const values = { siteId: at, ...shown, sealed: context.app.sealer.seal(access), trials, triedAt: new Date() };
    await tx.insert(platformConnections).values({ organisationId, id, ...values }).onConflictDoUpdate({ target: [platformConnections.organisationId, platformConnections.id], set: values });
  });
  return { connected: trials };
}

async function connection({ app, person }: ActContext, id: string) {
  mustAct(person);
  const [found] = await app.connection.db.select().from(platformConnections).where(and(eq(platformConnections.organisationId, person.organisationId), eq(platformConnections.id, id)));
  if (!found) throw new CannotError("This platform is not connected any more");
  return found;
}

/** Tries a connected platform again; what it finds stands on its page. */
export async function tryPlatform(context: ActContext, id: string): Promise<Trial[]> {
  const { sealed } = await connection(context, id);
  const trials = await openManager(context.app.sealer.open(sealed)).try();
  await act(context, { act: "platform tried", subject: id, reason: "by hand" }, (tx) => tx.update(platformConnections).set({ trials, triedAt: new Date() }).where(mine(context, id)));
  return trials;
}

const mine = ({ person }: ActContext, id: string) => and(eq(platformConnections.organisationId, person.organisationId), eq(platformConnections.id, id));

/** Forgets how a platform is reached; the estate stays as it is. */
export async function forgetPlatform(context: ActContext, id: string): Promise<void> {
  await connection(context, id);
  await act(context, { act: "platform forgotten", subject: id, reason: "by hand" }, (tx) => tx.delete(platformConnections).where(mine(context, id)));
}

/** Asks for a discovery; one that is under way is not asked for twice. */
export async function askForDiscovery(context: ActContext, id: string): Promise<void> {
  await connection(context, id);
  const { organisationId, name } = context.person;
  await act(context, { act: "discovery", subject: id, reason: "by hand" }, async (tx) => {
    const open = await tx.select({ id: works.id }).from(works).where(and(eq(works.organisationId, organisationId), eq(works.kind, "discover"), sql`${works.subject}->>'platform' = ${id}`, inArray(works.state, ["waiting", "running", "stopping"])));
    if (open.length > 0) throw new CannotError("It is being discovered already");
    await tx.insert(works).values({ organisationId, kind: "discover", subject: { kind: "discover", platform: id }, foreground: false, personName: name, reason: "discovery" });
  });
}

/** What a finding is, in one text: left as it is only as long as it stays the same. */
export const findingText = (f: Finding): string => JSON.stringify([f.change, f.fields]);

/** Findings that nobody has looked at yet, and those that were left as they are. */
export function openFindings(found: readonly Finding[], left: Readonly<Record<string, { seen: string }>>): { open: Finding[]; left: Finding[] } {
  const isLeft = (f: Finding): boolean => left[f.key]?.seen === findingText(f);
  return { open: found.filter((f) => !isLeft(f)), left: found.filter(isLeft) };
}

/** Takes chosen findings into the estate; refused where the estate has changed since they were shown. */
export async function takeInFindings(context: ActContext, request: { platform: string; keys: readonly string[]; base: number; reason: string }): Promise<{ changed: number }> {
  const { app, person } = context;
  const { inventory, siteId, known } = await connection(context, request.platform);
  const estate = await loadEstate(app.connection.db, person.organisationId);
  if (!estate || !inventory) throw new CannotError("Nothing has been discovered there yet");
  const wanted = new Set(request.keys);
  const findings = compareDiscovery(estate, inventory, siteId, known).filter((f) => wanted.has(f.key));
  if (findings.length === 0) throw new CannotError("Choose at least one finding");
  const modelAt = await app.world.now();
  const next = standing(`${listWords(findings.map((f) => f.id), 3)} cannot be taken in like this`, () => checked(withFindings(estate, inventory, findings, siteId, modelAt)));
  return unlessMoved("The estate has changed since this was shown. Look at the findings again, then take them in", () => changeEstate(app.connection.db, next, { personName: person.name, reason: request.reason, modelAt }, request.base));
}

/** Leaves chosen findings as they are: they are not asked about again as long as they stay the same. */
export async function leaveFindings(context: ActContext, request: { platform: string; keys: readonly string[]; reason: string }): Promise<{ left: number }> {
  const { app, person } = context;
  const { inventory, siteId, known, left } = await connection(context, request.platform);
  const estate = await loadEstate(app.connection.db, person.organisationId);
  if (!estate || !inventory) throw new CannotError("Nothing has been discovered there yet");
  const wanted = new Set(request.keys);
  const findings = compareDiscovery(estate, inventory, siteId, known).filter((f) => wanted.has(f.key));
  if (findings.length === 0) throw new CannotError("Choose at least one finding");
  const more = Object.fromEntries(findings.map((f) => [f.key, { seen: findingText(f), reason: request.reason, personName: person.name }]));
  await act(context, { act: "findings left", subject: `${request.platform}: ${listWords(findings.map((f) => f.id), 5)}`, reason: request.reason }, (tx) => tx.update(platformConnections).set({ left: { ...left, ...more } }).where(mine(context, request.platform)));
  return { left: findings.length };
}
