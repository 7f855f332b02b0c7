import { createHash, randomBytes } from "node:crypto";
import { hash, verify } from "@node-rs/argon2";
import { and, eq, gt, lt } from "drizzle-orm";
import type { Database } from "../db/connect.ts";
import { organisations, people, sessions } from "../db/schema.ts";
import type { Person, Role } from "./roles.ts";

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
  const [row] = await db
    .select({ id: people.id, name: people.name, role: people.role, organisationId: people.organisationId, organisation: organisations.name, timeZone: organisations.timeZone })
    .from(sessions)
    .innerJoin(people, eq(people.id, sessions.personId))
    .innerJoin(organisations, eq(organisations.id, people.organisationId))
    .where(and(eq(sessions.tokenHash, tokenHash(token)), gt(sessions.expiresAt, new Date())));
  return row;
}

export async function addPerson(db: Database, person: { organisationId: string; signInName: string; name: string; role: Role; password: string }): Promise<void> {
  const { password, ...row } = person;
  await db.insert(people).values({ ...row, passwordHash: await hash(password) });
}
