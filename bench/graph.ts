import ELK from "elkjs/lib/elk.bundled.js";
import { alg, Graph } from "@dagrejs/graphlib";
import type { ObservedFlow } from "#core/estate/flow.ts";
import type { Estate, Service } from "#core/estate/model.ts";
import { compareObserved } from "#core/estate/observed.ts";
import { dependentBits } from "#core/graph/dependents.ts";
import { layoutGraph } from "#core/graph/layout.ts";
import { strongGroups } from "#core/graph/strong-groups.ts";
import { outageOf, serviceStates } from "#core/outage/closure.ts";
import { singlePoints } from "#core/outage/single-points.ts";
import { smallEstate } from "#core/tests/small-estate.ts";
import type { Figure } from "./figure.ts";

const LAID_OUT = 1_000;
const SERVICES = 2_000;
const MACHINES = 20_000;
const HOSTS = 400;
const FLOWS = 1_000_000;
/** A page should not keep anybody waiting longer for what is worked out while they look (our own limit). */
const LIMIT_SECONDS = 1;
const LAYOUT_LIMIT_SECONDS = 10;

/** Park & Miller 1988; every run sees the same estate. */
function random(): () => number {
  let seed = 1;
  return () => (seed = (seed * 48_271) % 2_147_483_647) / 2_147_483_647;
}

/** Services that need up to three of those before them, mostly of the first; every machine belongs to one. */
function largeEstate(services: number): Estate {
  const next = random();
  const base = smallEstate();
  const hosts = Array.from({ length: HOSTS }, (_, i) => ({ ...base.hosts[i % 2]!, id: `host-${i}` }));
  const machines = Array.from({ length: MACHINES }, (_, i) => ({ ...base.machines[0]!, id: `box-${i}`, host: `host-${i % HOSTS}` }));
  const perService = Math.floor(MACHINES / services);
  const described = Array.from({ length: services }, (_, i): Service => {
    const needs = i === 0 ? [] : [...new Set(Array.from({ length: 1 + Math.floor(next() * 3) }, () => Math.floor(next() ** 3 * i)))];
    return { ...base.services[0]!, id: `s-${i}`, name: `Service ${i}`, tier: (1 + (i % 4)) as Service["tier"], machines: Array.from({ length: perService }, (_, k) => `box-${i * perService + k}`), dependsOn: needs.map((k) => ({ service: `s-${k}`, strength: next() < 0.3 ? "soft" : "hard" })) };
  });
  return { ...base, hosts, machines, services: described, policies: [] };
}

/** As a log would gather them: every machine talks to machines of some ten services, on a few ports each. */
function* someFlows(): Iterable<ObservedFlow> {
  const next = random();
  for (let i = 0; i < FLOWS; i++) {
    const from = Math.floor(next() * MACHINES);
    const service = (Math.floor(from / (MACHINES / SERVICES)) * 7 + Math.floor(next() * 10) ** 2) % SERVICES;
    yield { from: `box-${from}`, to: `box-${service * (MACHINES / SERVICES) + Math.floor((next() * MACHINES) / SERVICES)}`, protocol: "tcp", port: [22, 53, 443, 636, 5_432][i % 5]!, connections: 1 + (i % 50), lastSeen: i };
  }
}

const since = (began: bigint): number => Number(process.hrtime.bigint() - began) / 1e9;
function seconds(act: () => unknown): number {
  const began = process.hrtime.bigint();
  act();
  return since(began);
}

/** What hangs on what, at the sizes of a large organisation. */
export async function benchGraph(report: (figure: Figure) => void): Promise<void> {
  const small = largeEstate(LAID_OUT);
  const began = process.hrtime.bigint();
  await layoutGraph({ nodes: small.services.map((s) => ({ id: s.id, width: 140, height: 28 })), edges: small.services.flatMap((s) => s.dependsOn.map((d) => ({ id: `${s.id} ${d.service}`, from: s.id, to: d.service }))) }, new ELK());
  const laid = since(began);
  report({ name: "layout of 1,000 services", unit: "s", value: laid, reference: LAYOUT_LIMIT_SECONDS, ratio: laid / LAYOUT_LIMIT_SECONDS, meaning: "all at once, what the worker does in the browser, against a limit; what carries most is drawn first" });

  const estate = largeEstate(SERVICES);
  const closure = seconds(() => serviceStates(estate, outageOf(estate, ["quay"])));
  report({ name: "closure, 20,000 machines", unit: "s", value: closure, reference: LIMIT_SECONDS, ratio: closure / LIMIT_SECONDS, meaning: "what is down and impaired among 2,000 services after a site's loss, against a limit" });
  const ranking = seconds(() => singlePoints(estate));
  report({ name: "ranking of single points", unit: "s", value: ranking, reference: LIMIT_SECONDS, ratio: ranking / LIMIT_SECONDS, meaning: "2,000 services, 20,000 machines, 400 hosts, against a limit" });
  const graph = new Graph({ directed: true });
  for (const s of estate.services) for (const d of s.dependsOn) graph.setEdge(s.id, d.service);
  const [theirs, ours] = [seconds(() => alg.tarjan(graph)), seconds(() => strongGroups(graph.nodes(), (id) => graph.successors(id) ?? []))];
  report({ name: "strong groups, 2,000 services", unit: "s", value: ours, reference: theirs, ratio: ours / theirs, meaning: "over a graph library's" });
  report({ name: "dependents of 2,000 services", unit: "s", value: seconds(() => dependentBits(estate)), reference: ours, ratio: seconds(() => dependentBits(estate)) / ours, meaning: "over finding the strong groups alone" });

  // Held as an array of their own: what is measured is the comparison.
  const flows = [...someFlows()];
  const reading = seconds(() => flows.reduce((n, f) => n + f.connections, 0));
  const comparing = seconds(() => compareObserved(estate, flows));
  report({ name: "1,000,000 flows compared", unit: "s", value: comparing, reference: LIMIT_SECONDS * 5, ratio: comparing / (LIMIT_SECONDS * 5), meaning: `with what 2,000 services declare, against a limit; merely adding them up takes ${(reading * 1000).toFixed(0)} ms` });
}
