import { CAPABILITIES, CHECK_KINDS, FIRMWARES, HAZARD_KINDS, IMPACT_LEVELS, MEDIA, NETWORK_PURPOSES, PLATFORM_KINDS, SECOND_READINGS, STORE_KINDS, STRENGTHS } from "#core/estate/model.ts";
import { DURATION_PATTERN, RATE_PATTERN, SIZE_PATTERN } from "./quantities.ts";

/** The published JSON Schema (draft 2020-12) of the estate file; `docs/estate.schema.json` is written from it. */
const text = { type: "string", minLength: 1 } as const;
const id = { type: "string", pattern: "^[a-z][a-z0-9-]*$" } as const;
const count = { type: "integer", minimum: 1 } as const;
const size = { type: "string", pattern: SIZE_PATTERN, description: "a size such as 64 GiB" } as const;
const duration = { type: "string", pattern: DURATION_PATTERN, description: "a duration such as 15 min" } as const;
const rate = { type: "string", pattern: RATE_PATTERN, description: "a rate such as 2 Gbit/s, 480 MiB/s or 6 GiB/h" } as const;
const ADDRESS_PATTERN = "^[0-9a-fA-F.:]+$";
const CIDR_PATTERN = "^[0-9a-fA-F.:]+/[0-9]{1,3}$";
const clock = { type: "string", pattern: "^([01][0-9]|2[0-4]):[0-5][0-9]$", description: "a time of day such as 07:30" } as const;

const days = { type: "array", items: { type: "integer", minimum: 1, maximum: 7 } } as const;
const country = { type: "string", pattern: "^[A-Z]{2}$" } as const;
const level = { enum: IMPACT_LEVELS } as const;

const object = <P extends Record<string, unknown>>(properties: P, optional: (keyof P)[] = []) => ({
  type: "object",
  properties,
  required: Object.keys(properties).filter((key) => !optional.includes(key)),
  additionalProperties: false,
});
const list = <I>(items: I) => ({ type: "array", items });

const check = object({ kind: { enum: CHECK_KINDS }, takes: duration, to: text, machine: id }, ["to", "machine"]);

export const ESTATE_SCHEMA = {
  $schema: "https://json-schema.org/draft/2020-12/schema",
  title: "Ypostasis estate",
  description: "What exists at an organisation, how it is protected and what it must withstand.",
  ...object(
    {
      format: { const: 1 },
      organisation: object({ id, name: text, timeZone: text }),
      assumptions: object({ detection: duration, decision: duration, nameSwitch: duration, message: duration, crew: count }),
      coordinator: object({ site: id, copy: object({ method: text, site: id }), returns: object({ site: id, within: duration }) }),
      sites: list(object({ id, name: text, kind: { enum: ["room", "region"] }, country, timeZone: text, place: object({ latitude: { type: "number", minimum: -90, maximum: 90 }, longitude: { type: "number", minimum: -180, maximum: 180 } }) }, ["place", "timeZone"])),
      hazards: list(object({ id, name: text, kind: { enum: HAZARD_KINDS }, takes: { ...list(id), minItems: 1 } })),
      links: list(
        object(
          {
            id,
            between: { type: "array", items: id, minItems: 2, maxItems: 2 },
            rate,
            backRate: rate,
            latencyMs: { type: "number", minimum: 0 },
            limits: list(object({ days, from: clock, to: clock, rate })),
          },
          ["backRate", "limits"],
        ),
      ),
      networks: list(object({ id, name: text, site: id, range: { type: "string", pattern: CIDR_PATTERN, description: "a range of addresses such as 10.20.0.0/16" }, purpose: { enum: NETWORK_PURPOSES } })),
      platforms: list(object({ id, name: text, kind: { enum: PLATFORM_KINDS }, can: list({ enum: CAPABILITIES }), converts: list(id) }, ["can", "converts"])),
      hosts: list(object({ id, name: text, site: id, platform: text, cores: count, memory: size, pool: size, poolRate: rate, starts: count })),
      stores: list(
        object(
          {
            id,
            name: text,
            site: id,
            kind: { enum: STORE_KINDS },
            media: { enum: MEDIA },
            capacity: size,
            quota: size,
            readRate: rate,
            writeRate: rate,
            restoreStreams: count,
            randomReadRate: rate,
            latencyMs: { type: "number", minimum: 0 },
            retrieval: duration,
            redundancy: object({ copies: count, secondSite: id, second: { enum: SECOND_READINGS } }, ["secondSite", "second"]),
            locked: { type: "boolean" },
            encryptedTransport: { type: "boolean" },
            prices: object({ currency: { type: "string", pattern: "^[A-Z]{3}$", description: "a currency code such as EUR" }, keepTiBMonth: { type: "number", minimum: 0 }, readTiB: { type: "number", minimum: 0 } }),
          },
          ["media", "quota", "randomReadRate", "latencyMs", "retrieval", "redundancy", "locked", "encryptedTransport", "prices"],
        ),
      ),
      keys: list(object({ id, name: text, opens: { ...list(id), minItems: 1 }, holders: { ...list(object({ who: text, place: text, site: id, tried: { type: "string", format: "date" } }, ["site", "tried"])), minItems: 1 } })),
      machines: list(
        object(
          {
            id,
            name: text,
            host: id,
            cores: count,
            memory: size,
            disks: { ...list(object({ id, size, used: size })), minItems: 1 },
            firmware: { enum: FIRMWARES },
            attached: list(object({ network: id, address: { type: "string", pattern: ADDRESS_PATTERN, description: "an address such as 10.20.0.7" } }, ["address"])),
            gone: { type: "string", format: "date-time" },
            change: object({ hot: size, written: rate, grown: rate }),
            reduction: { type: "number", exclusiveMinimum: 0, maximum: 1 },
            prepare: duration,
            boot: duration,
          },
          ["name", "firmware", "attached", "gone"],
        ),
      ),
      services: list(
        object(
          {
            id,
            name: text,
            tier: { type: "integer", minimum: 1, maximum: 4 },
            owner: text,
            rto: duration,
            rpo: duration,
            mtd: duration,
            wrt: duration,
            machines: list(id),
            dependsOn: list(object({ service: id, strength: { enum: STRENGTHS } })),
            startOrder: count,
            serviceName: text,
            checks: { ...list(check), minItems: 1 },
            check,
            tell: text,
            impact: list(object({ after: duration, what: text, level }, ["level"])),
            category: object({ confidentiality: level, integrity: level, availability: level }),
            hours: list(object({ days, from: clock, to: clock })),
            contacts: list(object({ role: text, reach: text })),
            copiesIn: { ...list(country), minItems: 1 },
          },
          ["mtd", "wrt", "dependsOn", "startOrder", "checks", "check", "impact", "category", "hours", "contacts", "copiesIn"],
        ),
      ),
      groups: list(object({ id, name: text, machines: { ...list(id), minItems: 2 }, within: duration })),
      policies: list(object({ id, name: text, machines: list(id), every: duration, legs: { ...list(object({ from: id, to: id })), minItems: 1 } })),
      landings: list(
        object(
          { id, site: id, platform: id, group: text, networks: list(object({ from: id, to: id })), staging: text, account: text, media: list(text), exports: text },
          ["group", "networks", "staging", "account", "media", "exports"],
        ),
      ),
      points: list(object({ machine: id, capturedAt: { type: "string", format: "date-time" }, stores: list(id) })),
    },
    ["points", "hazards", "links", "networks", "platforms", "keys", "groups", "policies", "landings"],
  ),
} as const;
