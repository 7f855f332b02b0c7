import type { MachineId } from "./model.ts";

/** Connections that were seen between two machines: how many, and when the last one was (epoch milliseconds). */
export type ObservedFlow = { from: MachineId; to: MachineId; protocol: Protocol; port: number; connections: number; lastSeen: number };
export const PROTOCOLS = ["tcp", "udp"] as const;
export type Protocol = (typeof PROTOCOLS)[number];

const flowKey = (f: ObservedFlow): string => `${f.from} ${f.to} ${f.protocol} ${f.port}`;

/** Flows between the same ends on the same port put together: counts added, the latest instant kept. */
export function gatherFlows(flows: Iterable<ObservedFlow>): ObservedFlow[] {
  const gathered = new Map<string, ObservedFlow>();
  for (const flow of flows) {
    const had = gathered.get(flowKey(flow));
    gathered.set(flowKey(flow), had ? { ...had, connections: had.connections + flow.connections, lastSeen: Math.max(had.lastSeen, flow.lastSeen) } : flow);
  }
  return [...gathered.values()];
}
