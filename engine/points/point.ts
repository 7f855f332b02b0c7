import { type Digest, fromOci, isDigest, sha256, toOci } from "../digest.ts";
import { EngineError, isEngineError } from "../errors.ts";
import type { LeafFacts, Vault } from "../vault.ts";
import { type BlockEntry, leafPages, mapPages, type PageSource, readLeaf, type StreamMap } from "./block-map.ts";
import { readCatalogue } from "./catalogue.ts";
import type { PointConfig, PointId, Publication } from "./publication.ts";

export const MEDIA = {
  point: "application/vnd.ypostasis.point.v1+json",
  config: "application/vnd.ypostasis.point.config.v1+json",
  catalogue: "application/vnd.ypostasis.catalogue.v1+jsonl",
  map: "application/vnd.ypostasis.map.v1",
  pack: "application/vnd.ypostasis.pack.v1",
  manifest: "application/vnd.oci.image.manifest.v1+json",
  index: "application/vnd.oci.image.index.v1+json",
} as const;

const PUBLISHED = "points/";
const INDEX_FILE = "index.json";

export const encodeConfig = (config: PointConfig): Buffer => Buffer.from(JSON.stringify(config));
export const pointIdOf = (config: PointConfig): PointId => sha256(encodeConfig(config));

export async function readConfig(vault: Pick<Vault, "getBlob">, id: PointId): Promise<PointConfig> {
  const config = JSON.parse((await vault.getBlob(id)).toString("utf8")) as PointConfig;
  if (config.format !== 1) throw new EngineError("damaged", `Point ${id.slice(0, 12)} is of a format that is not known here`);
  return config;
}

/** Everything a point is made of, apart from its chunks: catalogue and map pages. */
export async function* pointPages(config: PointConfig, get: PageSource): AsyncGenerator<{ digest: Digest; media: string }> {
  for (const digest of config.catalogue.pages) yield { digest, media: MEDIA.catalogue };
  for await (const entry of readCatalogue(config.catalogue, get)) if (entry.map) for await (const digest of mapPages(entry.map, get)) yield { digest, media: MEDIA.map };
}

/**
 * The chunks of a point in order, holes left out, a row for each leaf or inline map; repeated as
 * often as they stand in it. Leaves for which `skip` says so are not read.
 */
export async function* pointChunks(config: PointConfig, get: PageSource, skip: (leaf: Digest) => boolean = () => false): AsyncGenerator<{ digest: Digest; nominalBytes: number }[]> {
  const filled = (entries: readonly BlockEntry[]): { digest: Digest; nominalBytes: number }[] => entries.filter((e): e is BlockEntry & { digest: Digest } => e.digest !== null);
  for await (const entry of readCatalogue(config.catalogue, get)) {
    if (!entry.map) continue;
    if (entry.map.kind === "inline") yield filled(entry.map.entries);
    else for await (const leaf of leafPages(entry.map, get)) if (!skip(leaf)) yield filled(await readLeaf(leaf, get));
  }
}

/**
 * The maps of a point's streams by path, for a capture that goes on from it. Empty where not every
 * page can be read any more: what would go on from it is then captured anew.
 */
export async function streamMaps(vault: Vault, id: PointId): Promise<Map<string, StreamMap>> {
  const page: PageSource = (digest) => vault.page(digest);
  const maps = new Map<string, StreamMap>();
  try {
    for await (const entry of readCatalogue((await readConfig(vault, id)).catalogue, page)) if (entry.map) maps.set(entry.path.toString(), entry.map);
    for (const map of maps.values()) for await (const digest of mapPages(map, page)) await page(digest);
    return maps;
  } catch (error) {
    if (isEngineError(error, "damaged") || isEngineError(error, "missing")) return new Map();
    throw error;
  }
}

/**
 * Checks that every page and chunk of a point is in the store, writes its manifest and publishes
 * it with one put. Throws `missing` naming what is not there; then nothing is published.
 */
export async function publishPoint(vault: Vault, config: PointConfig): Promise<Publication> {
  const encoded = encodeConfig(config);
  const id = pointIdOf(config);
  // Written while the rest is looked at; awaited before anything names it.
  const configPut = vault.putBlob(encoded, id);
  configPut.catch(() => undefined);
  const get: PageSource = (digest) => vault.page(digest);
  const layers = new Map<Digest, string>();
  const absent = (what: string, digest: Digest): EngineError =>
    new EngineError("missing", `Point ${id.slice(0, 12)} cannot be published in ${vault.id}: ${what} ${digest.slice(0, 12)} is not there`);
  for (const digest of config.catalogue.pages) layers.set(digest, MEDIA.catalogue);
  const packs = new Set<Digest>();
  const packOf = (digest: Digest): Digest => {
    const pack = vault.packOf(digest);
    if (!pack) throw absent("chunk", digest);
    return pack;
  };
  for await (const { map } of readCatalogue(config.catalogue, get)) {
    if (map?.kind === "inline") for (const { digest } of map.entries) if (digest) packs.add(packOf(digest));
    if (map?.kind !== "tree") continue;
    for await (const digest of mapPages(map, get)) layers.set(digest, MEDIA.map);
    for await (const leaf of leafPages(map, get)) for (const pack of (await completeLeaf(vault, leaf, packOf)).packs) packs.add(pack);
  }
  for (const digest of layers.keys()) if (!vault.hasBlob(digest)) throw absent("page", digest);
  for (const pack of packs) layers.set(pack, MEDIA.pack);
  const manifest = Buffer.from(
    JSON.stringify({
      schemaVersion: 2,
      mediaType: MEDIA.manifest,
      artifactType: MEDIA.point,
      config: { mediaType: MEDIA.config, digest: toOci(id), size: encoded.length },
      layers: [...layers].map(([digest, mediaType]) => ({ mediaType, digest: toOci(digest), size: vault.blobBytes(digest) })),
      annotations: {
        "org.opencontainers.image.title": config.name,
        "org.opencontainers.image.created": new Date(config.capturedAt).toISOString(),
      },
    }),
  );
  const publication: Publication = {
    id,
    name: config.name,
    kind: config.kind,
    capturedAt: config.capturedAt,
    nominalBytes: config.nominalBytes,
    changedBytes: config.changedBytes,
    manifest: { digest: sha256(manifest), size: manifest.length },
  };
  await Promise.all([configPut, vault.putBlob(manifest, publication.manifest.digest)]);
  await vault.store.put(`${PUBLISHED}${id}.json`, Buffer.from(JSON.stringify(publication)));
  vault.notePublication(publication);
  return publication;
}

/** Finds every chunk of a leaf, unless that was done before. */
async function completeLeaf(vault: Vault, leaf: Digest, packOf: (digest: Digest) => Digest): Promise<LeafFacts> {
  const known = vault.completeLeaves.get(leaf);
  if (known) return known;
  const packs = new Set<Digest>();
  let dataBytes = 0;
  for (const { digest, nominalBytes } of await readLeaf(leaf, (page) => vault.page(page))) {
    if (!digest) continue;
    packs.add(packOf(digest));
    dataBytes += nominalBytes;
  }
  const facts = { packs: [...packs], dataBytes };
  vault.completeLeaves.set(leaf, facts);
  return facts;
}

export async function isPublished(vault: Vault, id: PointId): Promise<boolean> {
  return (await vault.store.size(`${PUBLISHED}${id}.json`)) !== undefined;
}

/** All published points of a store, newest first. Publications never change, so each is read once. */
export async function listPoints(vault: Vault): Promise<Publication[]> {
  const found: Publication[] = [];
  for await (const { name } of vault.store.list(PUBLISHED)) {
    const id = name.slice(PUBLISHED.length, -".json".length);
    if (!isDigest(id)) continue;
    const known = vault.publication(id);
    if (known) found.push(known);
    else
      try {
        const publication = JSON.parse((await vault.store.get(name)).toString("utf8")) as Publication;
        vault.notePublication(publication);
        found.push(publication);
      } catch (error) {
        if (!(error instanceof SyntaxError) && !isEngineError(error, "missing")) throw error;
      }
  }
  return found.sort((a, b) => b.capturedAt - a.capturedAt || (a.id < b.id ? -1 : 1));
}

/** The digests of the packs a published point's manifest names. */
export async function pointPacks(vault: Vault, publication: Publication): Promise<Digest[]> {
  const manifest = JSON.parse((await vault.getBlob(publication.manifest.digest)).toString("utf8")) as { layers: { mediaType: string; digest: string }[] };
  return manifest.layers.filter((l) => l.mediaType === MEDIA.pack).map((l) => fromOci(l.digest));
}

/**
 * Rewrites `index.json` from the published points, so that any OCI tool sees them. The store is
 * listed once; what was published since through this vault is known.
 */
export async function rebuildIndex(vault: Vault): Promise<void> {
  if (!vault.knowsPublications) {
    await listPoints(vault);
    vault.knowsPublications = true;
  }
  const manifests = vault.knownPublications().map((p) => ({
    mediaType: MEDIA.manifest,
    artifactType: MEDIA.point,
    digest: toOci(p.manifest.digest),
    size: p.manifest.size,
    annotations: { "org.opencontainers.image.ref.name": p.id, "org.opencontainers.image.title": p.name },
  }));
  await vault.store.put(INDEX_FILE, Buffer.from(JSON.stringify({ schemaVersion: 2, mediaType: MEDIA.index, manifests })));
}

/** Finds a point by its id or the first digits of it (at least six). */
export function findPoint(points: readonly Publication[], asked: string): Publication {
  const text = asked.replace(/^sha256:/, "");
  const hits = points.filter((p) => (isDigest(text) ? p.id === text : text.length >= 6 && p.id.startsWith(text)));
  if (hits.length === 1) return hits[0]!;
  throw new EngineError("input", hits.length ? `Several points begin with ${asked}; give more digits` : `There is no point ${asked} here; \`copies\` lists those there are`);
}
