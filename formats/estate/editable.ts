import type { RawEstate } from "./raw-estate.ts";

/** What can be changed of many items at once, as the file names and writes it. */
export type EditableKind = "sites" | "hazards" | "machines" | "services" | "hosts" | "stores" | "links" | "networks" | "keys" | "policies" | "groups";
export type EditableField = { path: string; words: string; is: "quantity" | "number" | "text" | "choice" };

const field = (path: string, words: string, is: EditableField["is"]): EditableField => ({ path, words, is });
/** Not a field of the machine: it joins the policy's machines. */
export const JOINS_POLICY = "policy";

export const EDITABLE: Record<EditableKind, readonly EditableField[]> = {
  sites: [field("name", "name", "text"), field("country", "country", "text")],
  hazards: [field("name", "name", "text")],
  machines: [
    field("host", "host (its id)", "text"),
    field("cores", "cores", "number"),
    field("memory", "memory", "quantity"),
    field("change.hot", "hot set", "quantity"),
    field("change.written", "written per hour, such as 2 GiB/h", "quantity"),
    field("change.grown", "grown per hour, such as 64 MiB/h", "quantity"),
    field("reduction", "reduction", "number"),
    field("prepare", "time to make it", "quantity"),
    field("boot", "time to start it", "quantity"),
    field("firmware", "firmware (bios or uefi)", "choice"),
    field(JOINS_POLICY, "policy to join (its id)", "text"),
  ],
  services: [field("tier", "tier", "number"), field("owner", "owner", "text"), field("rto", "RTO", "quantity"), field("rpo", "RPO", "quantity"), field("mtd", "MTD", "quantity"), field("wrt", "WRT", "quantity"), field("tell", "whom to tell", "text")],
  hosts: [field("site", "site (its id)", "text"), field("platform", "platform", "text"), field("cores", "cores", "number"), field("memory", "memory", "quantity"), field("pool", "disk pool", "quantity"), field("poolRate", "what the pool takes", "quantity"), field("starts", "machines started side by side", "number")],
  stores: [field("media", "media (disk, flash, tape, optical or provider)", "choice"), field("capacity", "capacity", "quantity"), field("quota", "quota", "quantity"), field("readRate", "reads", "quantity"), field("writeRate", "writes", "quantity"), field("restoreStreams", "restore streams", "number"), field("randomReadRate", "scattered reads", "quantity"), field("latencyMs", "latency in ms", "number"), field("retrieval", "retrieval", "quantity")],
  links: [field("rate", "rate there", "quantity"), field("backRate", "rate back", "quantity"), field("latencyMs", "latency in ms", "number")],
  networks: [field("name", "name", "text"), field("purpose", "purpose (production, copies or staging)", "choice")],
  keys: [field("name", "name", "text")],
  groups: [field("name", "name", "text"), field("within", "at most apart", "quantity")],
  policies: [field("name", "name", "text"), field("every", "every", "quantity")],
};

/** A file's contents with one field of some items set; whether it can stand is for its reader to say. An empty text leaves the field out. */
export function withFieldSet(raw: RawEstate, kind: EditableKind, ids: ReadonlySet<string>, { path, is }: EditableField, text: string): RawEstate {
  if (kind === "machines" && path === JOINS_POLICY)
    return { ...raw, policies: (raw.policies ?? []).map((p) => (p.id === text ? { ...p, machines: [...new Set([...p.machines, ...ids])] } : p)) };
  const value = text === "" ? undefined : is === "number" ? Number(text) : text;
  const items = (raw[kind] ?? []) as unknown as Record<string, unknown>[];
  return { ...raw, [kind]: items.map((item) => (ids.has(item["id"] as string) ? setAt(item, path.split("."), value) : item)) };
}

function setAt(item: Record<string, unknown>, [key, ...rest]: string[], value: unknown): Record<string, unknown> {
  const next = { ...item };
  if (rest.length > 0) next[key!] = setAt((item[key!] ?? {}) as Record<string, unknown>, rest, value);
  else if (value === undefined) delete next[key!];
  else next[key!] = value;
  return next;
}
