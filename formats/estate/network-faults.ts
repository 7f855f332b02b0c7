import ipaddr from "ipaddr.js";
import type { Network } from "#core/estate/model.ts";
import type { RawEstate } from "./raw-estate.ts";

type Say = (path: (string | number)[], message: string) => void;
type Range = ReturnType<typeof ipaddr.parseCIDR>;

/** Ranges that cannot be read, are not written by their first address, or overlap another of the same site. */
export function networkFaults(networks: readonly Network[], needsSite: (i: number) => void, say: (i: number, key: "range" | "site", message: string) => void): void {
  const ranges = networks.map((network, i): Range | null => {
    needsSite(i);
    let range: Range;
    try {
      range = ipaddr.parseCIDR(network.range);
    } catch {
      say(i, "range", `${network.range} is no range of addresses; write one such as 10.20.0.0/16`);
      return null;
    }
    const first = firstAddress(range);
    if (first !== range[0].toString()) say(i, "range", `${network.range} begins at ${first}; write ${first}/${range[1]}`);
    return range;
  });
  for (const [i, a] of ranges.entries())
    for (const [k, b] of ranges.slice(0, i).entries())
      if (a && b && networks[k]!.site === networks[i]!.site && overlap(a, b))
        say(i, "range", `${networks[i]!.range} overlaps ${networks[k]!.id} (${networks[k]!.range}) at the same site; ranges inside one site must lie apart`);
}

/** Attachments to networks that do not exist, stand at another site than the machine's host, or do not hold its address. */
export function attachmentFaults(raw: RawEstate, needs: (kind: string, id: string, path: (string | number)[]) => void, say: Say): void {
  const networks = new Map((raw.networks ?? []).map((n) => [n.id, n]));
  const siteOf = new Map(raw.hosts.map((h) => [h.id, h.site]));
  const holder = new Map<string, string>();
  raw.machines.forEach((machine, i) =>
    machine.attached?.forEach(({ network: id, address }, k) => {
      const path = ["machines", i, "attached", k];
      needs("networks", id, [...path, "network"]);
      const network = networks.get(id);
      if (!network) return;
      const site = siteOf.get(machine.host);
      if (site && site !== network.site) say([...path, "network"], `${id} is a network of ${network.site}, and ${machine.id} runs at ${site}`);
      if (address === undefined) return;
      if (!ipaddr.isValid(address)) say([...path, "address"], `${address} is no address; write one such as 10.20.0.7`);
      else if (!holds(network.range, address)) say([...path, "address"], `${address} does not lie in ${id} (${network.range})`);
      const other = holder.get(`${id}/${address}`);
      if (other) say([...path, "address"], `${address} is ${other}'s in the same network; every address is given once`);
      holder.set(`${id}/${address}`, machine.id);
    }),
  );
}

function firstAddress([address, bits]: Range): string {
  const of = address.kind() === "ipv4" ? ipaddr.IPv4 : ipaddr.IPv6;
  return of.networkAddressFromCIDR(`${address.toString()}/${bits}`).toString();
}

/** Two ranges overlap where the shorter prefix holds the other's address. */
function overlap([a, aBits]: Range, [b, bBits]: Range): boolean {
  return a.kind() === b.kind() && (a as ipaddr.IPv4).match(b as ipaddr.IPv4, Math.min(aBits, bBits));
}

function holds(range: string, address: string): boolean {
  try {
    const [first, bits] = ipaddr.parseCIDR(range);
    const parsed = ipaddr.parse(address);
    return parsed.kind() === first.kind() && (parsed as ipaddr.IPv4).match(first as ipaddr.IPv4, bits);
  } catch {
    // A range that cannot be read is told of by itself.
    return true;
  }
}
