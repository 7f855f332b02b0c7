import { describe, expect, it } from "vitest";
import { difference } from "#core/estate/difference.ts";
import { EDITABLE, type EditableKind, withFieldSet } from "./editable.ts";
import { EstateFileError, estateFromRaw, readEstate } from "./read-estate.ts";
import { demoText } from "./tests/demo-text.ts";
import { toRaw } from "./write-estate.ts";

const { estate } = readEstate(demoText());
const raw = toRaw(estate);
const GOOD: Record<string, string> = { purpose: "staging", media: "flash", "change.hot": "7 GiB", host: "tq-3", site: "tern-quay", platform: "holm", firmware: "bios", policy: "west", owner: "night duty", tell: "everybody", name: "Another", tier: "2", cores: "3", starts: "1", restoreStreams: "7", reduction: "0.25", latencyMs: "77", quota: "1 TiB", capacity: "77 TiB", memory: "3 GiB", pool: "20 TiB", every: "5 h", rto: "77 s", rpo: "77 s", mtd: "90 d", wrt: "7 s", prepare: "77 s", boot: "77 s", retrieval: "7 h", within: "7 s", country: "SE" };

describe("fields of many items", () => {
  it("can each be set, and nothing else changes", () => {
    for (const [kind, fields] of Object.entries(EDITABLE) as [EditableKind, (typeof EDITABLE)[EditableKind]][])
      for (const field of fields) {
        // No machine stands there yet, so that none is torn from its network.
        const items = field.path === "site" ? ["gy-pay"] : estate[kind].slice(0, 2).map((x) => x.id);
        const after = estateFromRaw(withFieldSet(raw, kind, new Set(items), field, GOOD[field.path] ?? "77 MiB/h")).estate;
        const found = difference(estate, after);
        expect(found.length, `${kind} ${field.path}`).toBeGreaterThan(0);
        if (field.path === "policy") expect(found.map((d) => d.id)).toEqual(["west"]);
        else expect(items, `${kind} ${field.path}`).toEqual(expect.arrayContaining(found.map((d) => d.id)));
        for (const d of found) expect(d.fields.every((f) => field.path === "policy" || f.path.startsWith(field.path)), `${kind} ${field.path}`).toBe(true);
      }
  });

  it("are refused with their place where they cannot be", () => {
    const set = (kind: EditableKind, path: string, text: string) => () => estateFromRaw(withFieldSet(raw, kind, new Set([raw[kind]![0]!.id]), EDITABLE[kind].find((f) => f.path === path)!, text));
    expect(set("machines", "cores", "many")).toThrow(EstateFileError);
    expect(set("machines", "cores", "-1")).toThrow(/names-1\/cores/);
    expect(set("machines", "memory", "")).toThrow(/memory is missing/);
    expect(set("machines", "host", "nowhere")).toThrow(/there is no host nowhere/);
    expect(set("services", "rto", "soon")).toThrow(/a duration such as 15 min/);
  });
});
