import { bigint, bigserial, boolean, index, jsonb, pgEnum, pgTable, primaryKey, text, timestamp, uuid } from "drizzle-orm/pg-core";
import type { Inventory } from "#core/estate/discovery.ts";
import type { Protocol } from "#core/estate/flow.ts";
import type { ProbeStep } from "#engine/stores/probe.ts";
import type { WorldOperation, WorldResult } from "#standins/world/protocol.ts";
import type { RunPlan } from "../runs/run-plan.ts";
import type { Trial } from "../platforms/manager.ts";
import type { CheckTrial } from "../checks/try-check.ts";
import type { SetupKind } from "../checks/setup.ts";
import type { WorkProgress, WorkSubject } from "../jobs/work.ts";

/** Model instants are epoch milliseconds in bigint columns; wall times are timestamps. */
const instant = (name: string) => bigint(name, { mode: "number" });
const bytes = (name: string) => bigint(name, { mode: "number" });
const wall = (name: string) => timestamp(name, { withTimezone: true, mode: "date" });

export const roleEnum = pgEnum("role", ["coordinator", "observer"]);
export const workStateEnum = pgEnum("work_state", ["waiting", "running", "stopping", "stopped", "done", "failed", "dropped"]);
export const workKindEnum = pgEnum("work_kind", ["copy", "protect", "bring-back", "run", "history", "discover"]);
export const copyStateEnum = pgEnum("copy_state", ["whole", "damaged"]);
export const stepStateEnum = pgEnum("step_state", ["waiting", "running", "hand", "done", "failed", "skipped"]);
export const enclaveStateEnum = pgEnum("enclave_state", ["kept", "discarded"]);

export const organisations = pgTable("organisation", { id: text("id").primaryKey(), name: text("name").notNull(), timeZone: text("time_zone").notNull() });

export const people = pgTable("person", {
  id: uuid("id").primaryKey().defaultRandom(),
  organisationId: text("organisation_id").notNull().references(() => organisations.id),
  signInName: text("sign_in_name").notNull().unique(),
  name: text("name").notNull(),
  role: roleEnum("role").notNull(),
  passwordHash: text("password_hash").notNull(),
});

/** Further organisations that a person serves, and as what there. */
export const memberships = pgTable(
  "membership",
  {
    personId: uuid("person_id").notNull().references(() => people.id, { onDelete: "cascade" }),
    organisationId: text("organisation_id").notNull().references(() => organisations.id),
    role: roleEnum("role").notNull(),
  },
  (t) => [primaryKey({ columns: [t.personId, t.organisationId] })],
);

/** `organisationId`: the one that is worked for in this session, where it is not the person's own. */
export const sessions = pgTable("session", {
  tokenHash: text("token_hash").primaryKey(),
  organisationId: text("organisation_id"),
  personId: uuid("person_id").notNull().references(() => people.id, { onDelete: "cascade" }),
  expiresAt: wall("expires_at").notNull(),
});

export const estateItems = pgTable(
  "estate_item",
  { organisationId: text("organisation_id").notNull(), kind: text("kind").notNull(), id: text("id").notNull(), place: bigint("place", { mode: "number" }).notNull(), body: jsonb("body").notNull() },
  (t) => [primaryKey({ columns: [t.organisationId, t.kind, t.id] })],
);

export const estateChanges = pgTable(
  "estate_change",
  {
    id: bigserial("id", { mode: "number" }).primaryKey(),
    organisationId: text("organisation_id").notNull(),
    wallAt: wall("wall_at").notNull().defaultNow(),
    modelAt: instant("model_at").notNull(),
    personName: text("person_name").notNull(),
    reason: text("reason").notNull(),
    kind: text("kind").notNull(),
    itemId: text("item_id").notNull(),
    before: jsonb("before"),
    after: jsonb("after"),
  },
  // The newest change of one organisation is asked for whenever its estate is.
  (t) => [index("estate_change_by_organisation").on(t.organisationId, t.id)],
);

/** How a store is reached; secrets inside are sealed. */
export const storeAccess = pgTable(
  "store_access",
  { organisationId: text("organisation_id").notNull(), storeId: text("store_id").notNull(), kind: text("kind").notNull(), address: text("address").notNull().default(""), sealed: text("sealed").notNull(), triedAt: wall("tried_at"), probe: jsonb("probe").$type<ProbeStep[]>() },
  (t) => [primaryKey({ columns: [t.organisationId, t.storeId] })],
);

export const points = pgTable(
  "point",
  {
    organisationId: text("organisation_id").notNull(),
    id: text("id").notNull(),
    machineId: text("machine_id").notNull(),
    capturedAt: instant("captured_at").notNull(),
    nominalBytes: bytes("nominal_bytes").notNull(),
    dataBytes: bytes("data_bytes").notNull(),
    changedBytes: bytes("changed_bytes").notNull(),
  },
  (t) => [primaryKey({ columns: [t.organisationId, t.id] }), index("point_by_machine").on(t.organisationId, t.machineId, t.capturedAt)],
);

export const copies = pgTable(
  "copy",
  {
    organisationId: text("organisation_id").notNull(),
    pointId: text("point_id").notNull(),
    storeId: text("store_id").notNull(),
    arrivedAt: instant("arrived_at").notNull(),
    state: copyStateEnum("state").notNull().default("whole"),
    sentBytes: bytes("sent_bytes").notNull(),
    storedBytes: bytes("stored_bytes").notNull(),
  },
  (t) => [primaryKey({ columns: [t.organisationId, t.pointId, t.storeId] })],
);

/** Platforms that are connected, how they were last found, and what was decided about it. */
export const platformConnections = pgTable(
  "platform_connection",
  {
    organisationId: text("organisation_id").notNull(),
    id: text("id").notNull(),
    siteId: text("site_id").notNull(),
    /** What may be shown of how it is reached. */
    address: text("address").notNull(),
    account: text("account").notNull(),
    sealed: text("sealed").notNull(),
    triedAt: wall("tried_at"),
    trials: jsonb("trials").$type<Trial[]>(),
    discoveredAt: instant("discovered_at"),
    inventory: jsonb("inventory").$type<Inventory>(),
    /** Everything it has ever listed: what it lists no more is gone. */
    known: jsonb("known").$type<{ hosts: string[]; machines: string[] }>().notNull().default({ hosts: [], machines: [] }),
    /** Findings that were looked at and left as they are, by key. */
    left: jsonb("left").$type<Record<string, LeftFinding>>().notNull().default({}),
  },
  (t) => [primaryKey({ columns: [t.organisationId, t.id] })],
);
/** `seen` is the finding as it was then; another one of the same key is asked about again. */
export type LeftFinding = { seen: string; reason: string; personName: string };

/** Connections that were seen between machines; `source` is the platform that reported them, or `table`. */
export const observedFlows = pgTable(
  "observed_flow",
  {
    organisationId: text("organisation_id").notNull(),
    source: text("source").notNull().default("table"),
    from: text("from_machine").notNull(),
    to: text("to_machine").notNull(),
    protocol: text("protocol").$type<Protocol>().notNull(),
    port: bigint("port", { mode: "number" }).notNull(),
    connections: bigint("connections", { mode: "number" }).notNull(),
    lastSeen: instant("last_seen").notNull(),
  },
  (t) => [primaryKey({ columns: [t.organisationId, t.source, t.from, t.to, t.protocol, t.port] })],
);

/** Proposals from observed connections that were looked at and dismissed, by key; `seen` is what was proposed then. */
export const dismissedProposals = pgTable(
  "dismissed_proposal",
  { organisationId: text("organisation_id").notNull(), key: text("key").notNull(), seen: text("seen").notNull(), reason: text("reason").notNull(), personName: text("person_name").notNull(), modelAt: instant("model_at").notNull() },
  (t) => [primaryKey({ columns: [t.organisationId, t.key] })],
);

/** What the coordinator itself leans on: name server, time server, mail server, by host and port; the last trial of each. */
export const setupAddresses = pgTable(
  "setup_address",
  { organisationId: text("organisation_id").notNull(), what: text("what").$type<SetupKind>().notNull(), address: text("address").notNull(), triedAt: wall("tried_at"), good: boolean("good"), words: text("words") },
  (t) => [primaryKey({ columns: [t.organisationId, t.what] })],
);

/** The account by which sign-in checks of a service sign in; sealed. */
export const checkAccounts = pgTable(
  "check_account",
  { organisationId: text("organisation_id").notNull(), serviceId: text("service_id").notNull(), sealed: text("sealed").notNull() },
  (t) => [primaryKey({ columns: [t.organisationId, t.serviceId] })],
);

/** How a service's checks went when they were last tried, in the order of its checks. */
export const checkTrials = pgTable(
  "check_trial",
  { organisationId: text("organisation_id").notNull(), serviceId: text("service_id").notNull(), triedAt: instant("tried_at").notNull(), trials: jsonb("trials").$type<CheckTrial[]>().notNull() },
  (t) => [primaryKey({ columns: [t.organisationId, t.serviceId] })],
);

/** What each store is filled with, nominal bytes after reduction, as its own packs say. */
export const storeUsage = pgTable(
  "store_usage",
  { organisationId: text("organisation_id").notNull(), storeId: text("store_id").notNull(), storedBytes: bytes("stored_bytes").notNull() },
  (t) => [primaryKey({ columns: [t.organisationId, t.storeId] })],
);

export const works = pgTable(
  "work",
  {
    id: uuid("id").primaryKey().defaultRandom(),
    organisationId: text("organisation_id").notNull(),
    kind: workKindEnum("kind").notNull(),
    subject: jsonb("subject").$type<WorkSubject>().notNull(),
    state: workStateEnum("state").notNull().default("waiting"),
    foreground: boolean("foreground").notNull(),
    personName: text("person_name").notNull(),
    reason: text("reason").notNull(),
    createdAt: wall("created_at").notNull().defaultNow(),
    beganAt: instant("began_at"),
    endedAt: instant("ended_at"),
    progress: jsonb("progress").$type<WorkProgress>().notNull().default({}),
    failure: text("failure"),
  },
  (t) => [index("work_by_state").on(t.state, t.kind)],
);

/** What a work item has asked of the world and what came of it: its memory across processes, and the outbox. */
export const gates = pgTable(
  "gate",
  {
    workId: uuid("work_id").notNull().references(() => works.id, { onDelete: "cascade" }),
    key: text("key").notNull(),
    operation: jsonb("operation").$type<WorldOperation | null>(),
    instant: instant("instant"),
    result: jsonb("result").$type<WorldResult>(),
  },
  (t) => [primaryKey({ columns: [t.workId, t.key] })],
);

export const schedules = pgTable(
  "schedule",
  { organisationId: text("organisation_id").notNull(), policyId: text("policy_id").notNull(), running: boolean("running").notNull(), nextAt: instant("next_at") },
  (t) => [primaryKey({ columns: [t.organisationId, t.policyId] })],
);

/** Real folders and images that are protected, one to one. */
export const protectedPaths = pgTable(
  "protected_path",
  { organisationId: text("organisation_id").notNull(), name: text("name").notNull(), path: text("path").notNull(), storeIds: jsonb("store_ids").$type<string[]>().notNull() },
  (t) => [primaryKey({ columns: [t.organisationId, t.name] })],
);

export const runs = pgTable("run", {
  id: uuid("id").primaryKey().references(() => works.id),
  organisationId: text("organisation_id").notNull(),
  number: bigserial("number", { mode: "number" }),
  plan: jsonb("plan").$type<RunPlan>().notNull(),
  byHand: boolean("by_hand").notNull(),
  enclave: enclaveStateEnum("enclave").notNull().default("kept"),
});

export const runSteps = pgTable(
  "run_step",
  {
    runId: uuid("run_id").notNull().references(() => runs.id, { onDelete: "cascade" }),
    stepId: text("step_id").notNull(),
    state: stepStateEnum("state").notNull().default("waiting"),
    startedAt: instant("started_at"),
    finishedAt: instant("finished_at"),
    detail: text("detail").notNull().default(""),
    /** Copies that were damaged and the stores used instead, one sentence each. */
    substitutions: jsonb("substitutions").$type<string[]>().notNull().default([]),
    tickedBy: text("ticked_by"),
  },
  (t) => [primaryKey({ columns: [t.runId, t.stepId] })],
);

/** On whose word a service's data was confirmed in a run. */
export const confirmations = pgTable(
  "confirmation",
  { runId: uuid("run_id").notNull().references(() => runs.id, { onDelete: "cascade" }), serviceId: text("service_id").notNull(), byWhom: text("by_whom").notNull(), notedBy: text("noted_by").notNull(), notedAt: wall("noted_at").notNull().defaultNow() },
  (t) => [primaryKey({ columns: [t.runId, t.serviceId] })],
);

export const audit = pgTable("audit", {
  id: bigserial("id", { mode: "number" }).primaryKey(),
  organisationId: text("organisation_id").notNull(),
  wallAt: wall("wall_at").notNull().defaultNow(),
  modelAt: instant("model_at").notNull(),
  personName: text("person_name").notNull(),
  act: text("act").notNull(),
  subject: text("subject").notNull(),
  reason: text("reason").notNull(),
});

/** Who leads: carries out work. The fence grows with every change of leader. */
export const leases = pgTable("lease", {
  name: text("name").primaryKey(),
  holder: text("holder").notNull(),
  fence: bigint("fence", { mode: "number" }).notNull(),
  backend: bigint("backend", { mode: "number" }).notNull(),
  heartbeatAt: wall("heartbeat_at").notNull(),
});
