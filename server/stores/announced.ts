import { Bonjour, type Service } from "bonjour-service";

/** Stores announce themselves under this service type (DNS-SD, RFC 6763: `_ypostasis._tcp`), with their kind in the TXT record. */
export const STORE_SERVICE = "ypostasis";
const LISTEN_MS = 1_500;
const MOST = 50;

export type AnnouncedStore = { name: string; endpoint: string; region: string };

/** Buckets that announce themselves on the network just now. What they say of themselves is only offered, never taken on trust. */
export function announcedStores(network: string | undefined, listenMs = LISTEN_MS): Promise<AnnouncedStore[]> {
  const bonjour = new Bonjour(onNetwork(network), () => undefined);
  const found = new Map<string, AnnouncedStore>();
  bonjour.find({ type: STORE_SERVICE }, (service) => {
    const offer = offerOf(service);
    if (offer && found.size < MOST) found.set(service.fqdn, offer);
  });
  return new Promise((done) =>
    setTimeout(() => {
      bonjour.destroy();
      done([...found.values()].sort((a, b) => a.name.localeCompare(b.name)));
    }, listenMs),
  );
}

/** Multicast on one network by its own address, or on all. */
export const onNetwork = (network: string | undefined): Record<string, unknown> => (network ? { interface: network, bind: "0.0.0.0", loopback: true } : {});

function offerOf(service: Service): AnnouncedStore | null {
  const txt = (service.txt ?? {}) as Record<string, unknown>;
  // The address that the answer came from is one that can be reached from here.
  const address = service.referer?.address ?? service.addresses?.[0];
  if (txt["kind"] !== "bucket" || !address || !(service.port > 0)) return null;
  const host = address.includes(":") ? `[${address}]` : address;
  return { name: service.name.slice(0, 80), endpoint: `${txt["tls"] === "yes" ? "https" : "http"}://${host}:${service.port}`, region: typeof txt["region"] === "string" ? txt["region"].slice(0, 40) : "" };
}
