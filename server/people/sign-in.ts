import { createHash, randomBytes } from "node:crypto";
import { hash, verify } from "@node-rs/argon2";
import { and, asc, eq, gt, lt, sql } from "drizzle-orm";
import type { Database } from "../db/connect.ts";
import { memberships, organisations, people, sessions } from "../db/schema.ts";
import { type Person, RefusedError, type Role } from "./roles.ts";

const SESSION_DAYS = 7;
/** Verified where no such person exists, so that an unknown name takes as long as a wrong password. */
const NOBODY = hash(randomBytes(16).toString("hex"));

const tokenHash = (token: string): string => createHash("sha256").update(token).digest("hex");

/** Signs in by name and password; gives a session token, or undefined where they do not fit together. */
export async function signIn(db: Database, signInName: string, password: string): Promise<string | undefined> {
  const [person] = await db.select().from(people).where(eq(people.signInName, signInName.trim().toLowerCase()));
  const fits = await verify(person?.passwordHash ?? (await NOBODY), password);
  if (!person || !fits) return undefined;
  const token = randomBytes(32).toString("base64url");
  await db.delete(sessions).where(lt(sessions.expiresAt, new Date()));
  await db.insert(sessions).values({ tokenHash: tokenHash(token), personId: person.id, expiresAt: new Date(Date.now() + SESSION_DAYS * 86_400_000) });
  return token;
}

export async function signOut(db: Database, token: string): Promise<void> {
  await db.delete(sessions).where(eq(sessions.tokenHash, tokenHash(token)));
}

export async function whoIs(db: Database, token: string): Promise<(Person & { organisation: string; timeZone: string }) | undefined> {
  // The organisation chosen in this session counts only as long as the person still serves it.
  const [row] = await db
    .select({ id: people.id, name: people.name, role: sql<Role>`coalesce(${memberships.role}, ${people.role})`, organisationId: organisations.id, organisation: organisations.name, timeZone: organisations.timeZone })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .leftJoin(memberships, and(eq(memberships.personId, people.id), eq(memberships.organisationId, sessions.organisationId)))
    .innerJoin(organisations, eq(organisations.id, sql`coalesce(${memberships.organisationId}, ${people.organisationId})`))
    .where(and(eq(sessions.tokenHash, tokenHash(token)), gt(sessions.expiresAt, new Date())));
  return row;
}

export type Served = { id: string; name: string };

/** The organisations that a person serves, their own first. */
export async function servedBy(db: Database, personId: string): Promise<Served[]> {
  const named = { id: organisations.id, name: organisations.name };
  const own = await db.select(named).from(people).innerJoin(organisations, eq(organisations.id, people.organisationId)).where(eq(people.id, personId));
  const others = await db.select(named).from(memberships).innerJoin(organisations, eq(organisations.id, memberships.organisationId)).where(eq(memberships.personId, personId)).orderBy(asc(organisations.name));
  return [...own, ...others.filter((o) => o.id !== own[0]?.id)];
}

/** Works for another organisation from now on in this session. Throws `RefusedError` where the person does not serve it. */
export async function serve(db: Database, token: string, person: Person, organisationId: string): Promise<void> {
  const served = await servedBy(db, person.id);
  if (!served.some((o) => o.id === organisationId)) throw new RefusedError(`${person.name} does not serve this organisation`);
  await db.update(sessions).set({ organisationId }).where(eq(sessions.tokenHash, tokenHash(token)));
}

export async function addMembership(db: Database, signInName: string, organisationId: string, role: Role): Promise<void> {
  const [person] = await db.select({ id: people.id }).from(people).where(eq(people.signInName, signInName));
  await db.insert(memberships).values({ personId: person!.id, organisationId, role });
}

export async function addPerson(db: Database, person: { organisationId: string; signInName: string; name: string; role: Role; password: string }): Promise<void> {
  const { password, ...row } = person;
  await db.insert(people).values({ ...row, passwordHash: await hash(password) });
}
