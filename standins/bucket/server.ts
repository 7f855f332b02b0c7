import { createHash, randomBytes } from "node:crypto";
import { createReadStream } from "node:fs";
import { mkdir, readdir, rename, rm, stat, writeFile } from "node:fs/promises";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { dirname, join } from "node:path";
import { pipeline } from "node:stream/promises";
import { checkSignature } from "./signature.ts";

/**
 * A small bucket server behind the S3 protocol: buckets, put, get (whole and by range), head, list
 * (version 2, with pages), delete; signatures are checked. What it does not do it answers with
 * NotImplemented. Objects lie as files below `folder/bucket/`.
 */
export type BucketServerOptions = {
  folder: string;
  accounts: ReadonlyMap<string, string>;
  /** Bytes all objects may take together; a put beyond is refused as a full server would. */
  mostBytes?: number;
  relaxed?: boolean;
};

const PAGE = 1_000;
const MOST_OBJECT_BYTES = 128 * 1024 * 1024;

class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

export function bucketServer(options: BucketServerOptions): Server {
  return createServer((request, response) => {
    handle(options, request, response).catch((error: unknown) => {
      const refusal = error instanceof Refusal ? error : new Refusal(500, "InternalError", (error as Error).message);
      if (response.headersSent) return void response.destroy();
      const body = `<?xml version="1.0" encoding="UTF-8"?><Error><Code>${refusal.code}</Code><Message>${xml(refusal.message)}</Message></Error>`;
      response.writeHead(refusal.status, { "content-type": "application/xml", "content-length": Buffer.byteLength(body) });
      response.end(request.method === "HEAD" ? undefined : body);
    });
  });
}

async function handle(options: BucketServerOptions, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const [path = "/", query = ""] = (request.url ?? "/").split("?");
  const body = await readBody(request);
  const verdict = checkSignature({ method: request.method ?? "", path, query, headers: request.headers }, options.accounts, Date.now());
  if (verdict === "clock-off") throw new Refusal(403, "RequestTimeTooSkewed", "The clocks of client and server differ too much");
  if (verdict === "unknown-account") throw new Refusal(403, "InvalidAccessKeyId", "The access key is not known here");
  if (verdict !== "ok") throw new Refusal(403, verdict === "unsigned" ? "AccessDenied" : "SignatureDoesNotMatch", "The request is not signed as it should be");
  const stated = String(request.headers["x-amz-content-sha256"] ?? "");
  if (stated.startsWith("STREAMING-")) throw new Refusal(501, "NotImplemented", "Chunked signing is not done here; sign the whole payload");
  if (/^[0-9a-f]{64}$/.test(stated) && createHash("sha256").update(body).digest("hex") !== stated) throw new Refusal(400, "XAmzContentSHA256Mismatch", "The payload is not the one that was signed");

  const parts = path.split("/").slice(1).map(decodeURIComponent);
  const bucket = parts[0] ?? "";
  const key = parts.slice(1).join("/");
  const parameters = new URLSearchParams(query);
  if (!/^[a-z0-9][a-z0-9.-]{1,62}$/.test(bucket)) throw new Refusal(bucket === "" ? 501 : 400, bucket === "" ? "NotImplemented" : "InvalidBucketName", "Name a bucket");
  const root = join(options.folder, bucket);
  if (key === "") return bucketCall(root, request.method ?? "", parameters, response, bucket);
  if (parameters.has("uploads") || parameters.has("uploadId")) throw new Refusal(501, "NotImplemented", "Objects are put in one piece here");
  const file = join(root, objectFile(key));
  if (!(await stat(root).catch(() => undefined))) throw new Refusal(404, "NoSuchBucket", "There is no such bucket");
  switch (request.method) {
    case "PUT":
      return put(options, file, body, response);
    case "GET":
    case "HEAD":
      return get(file, request, response);
    case "DELETE":
      await rm(file, { force: true });
      return void response.writeHead(204).end();
    default:
      throw new Refusal(501, "NotImplemented", `${request.method} is not done here`);
  }
}

/** Keys become file names part by part; what a file system might read otherwise is escaped. */
const objectFile = (key: string): string =>
  key
    .split("/")
    .map((part) => `+${encodeURIComponent(part).replaceAll(".", "%2E")}`)
    .join("/");
const objectKey = (file: string): string =>
  file
    .split("/")
    .map((part) => decodeURIComponent(part.slice(1)))
    .join("/");

async function put(options: BucketServerOptions, file: string, body: Buffer, response: ServerResponse): Promise<void> {
  if (options.mostBytes !== undefined && (await folderBytes(options.folder)) + body.length > options.mostBytes) throw new Refusal(507, "InsufficientStorage", "No room is left");
  await mkdir(dirname(file), { recursive: true });
  const temporary = join(options.folder, `.${randomBytes(8).toString("hex")}`);
  await writeFile(temporary, body, { flush: options.relaxed !== true });
  await rename(temporary, file);
  response.writeHead(200, { etag: `"${createHash("md5").update(body).digest("hex")}"`, "content-length": 0 }).end();
}

async function get(file: string, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const stats = await stat(file).catch(() => undefined);
  if (!stats?.isFile()) throw new Refusal(404, "NoSuchKey", "There is no such object");
  const range = /^bytes=(\d+)-(\d*)$/.exec(request.headers.range ?? "");
  const from = range ? Number(range[1]) : 0;
  const to = range?.[2] ? Math.min(Number(range[2]), stats.size - 1) : stats.size - 1;
  if (range && from >= stats.size) throw new Refusal(416, "InvalidRange", "The range lies behind the object's end");
  const headers = {
    "content-length": Math.max(0, to - from + 1),
    "content-type": "application/octet-stream",
    "last-modified": stats.mtime.toUTCString(),
    etag: versionTag(stats),
    "accept-ranges": "bytes",
    ...(range ? { "content-range": `bytes ${from}-${to}/${stats.size}` } : {}),
  };
  response.writeHead(range ? 206 : 200, headers);
  if (request.method === "HEAD" || stats.size === 0) return void response.end();
  await pipeline(createReadStream(file, { start: from, end: to }), response);
}

/** The hyphen tells clients that this is no MD5 (as for objects put in parts); hashing at every look would be slow. */
const versionTag = (s: { size: number; mtimeMs: number }): string => `"${s.size.toString(16)}-${Math.floor(s.mtimeMs).toString(16)}"`;

async function bucketCall(root: string, method: string, parameters: URLSearchParams, response: ServerResponse, bucket: string): Promise<void> {
  if (method === "PUT") {
    await mkdir(root, { recursive: true });
    return void response.writeHead(200, { location: `/${bucket}`, "content-length": 0 }).end();
  }
  if (!(await stat(root).catch(() => undefined))) throw new Refusal(404, "NoSuchBucket", "There is no such bucket");
  if (method === "HEAD") return void response.writeHead(200).end();
  if (method !== "GET") throw new Refusal(501, "NotImplemented", `${method} of a bucket is not done here`);
  if (parameters.has("location")) return sendXml(response, '<LocationConstraint xmlns="http://s3.amazonaws.com/doc/2006-03-01/"/>');
  const prefix = parameters.get("prefix") ?? "";
  const most = Math.min(PAGE, Number(parameters.get("max-keys") ?? PAGE));
  const after = parameters.get("continuation-token") ?? parameters.get("start-after") ?? parameters.get("marker") ?? "";
  const delimiter = parameters.get("delimiter") ?? "";
  const keys = (await allKeys(root, "")).filter((o) => o.key.startsWith(prefix)).sort((a, b) => (a.key < b.key ? -1 : 1));
  const rows: string[] = [];
  const groups = new Set<string>();
  let last = "";
  let truncated = false;
  for (const { key, bytes, changed, tag } of keys) {
    const cut = delimiter ? key.indexOf(delimiter, prefix.length) : -1;
    const group = cut < 0 ? undefined : key.slice(0, cut + delimiter.length);
    if (key <= after || (group !== undefined && (groups.has(group) || group <= after))) continue;
    if (rows.length + groups.size >= most) {
      truncated = true;
      break;
    }
    last = group ?? key;
    if (group !== undefined) groups.add(group);
    else rows.push(`<Contents><Key>${xml(key)}</Key><LastModified>${changed}</LastModified><ETag>${xml(tag)}</ETag><Size>${bytes}</Size><StorageClass>STANDARD</StorageClass></Contents>`);
  }
  sendXml(
    response,
    `<ListBucketResult xmlns="http://s3.amazonaws.com/doc/2006-03-01/"><Name>${bucket}</Name><Prefix>${xml(prefix)}</Prefix><KeyCount>${rows.length + groups.size}</KeyCount>` +
      `<MaxKeys>${most}</MaxKeys><IsTruncated>${truncated}</IsTruncated>${truncated ? `<NextContinuationToken>${xml(last)}</NextContinuationToken><NextMarker>${xml(last)}</NextMarker>` : ""}` +
      `${rows.join("")}${[...groups].map((g) => `<CommonPrefixes><Prefix>${xml(g)}</Prefix></CommonPrefixes>`).join("")}</ListBucketResult>`,
  );
}

function sendXml(response: ServerResponse, body: string): void {
  const text = `<?xml version="1.0" encoding="UTF-8"?>${body}`;
  response.writeHead(200, { "content-type": "application/xml", "content-length": Buffer.byteLength(text) }).end(text);
}

async function allKeys(root: string, below: string): Promise<{ key: string; bytes: number; changed: string; tag: string }[]> {
  const found: { key: string; bytes: number; changed: string; tag: string }[] = [];
  for (const entry of await readdir(join(root, below), { withFileTypes: true })) {
    const path = below === "" ? entry.name : `${below}/${entry.name}`;
    if (entry.isDirectory()) found.push(...(await allKeys(root, path)));
    else {
      const s = await stat(join(root, path)).catch(() => undefined);
      if (s) found.push({ key: objectKey(path), bytes: s.size, changed: s.mtime.toISOString(), tag: versionTag(s) });
    }
  }
  return found;
}

async function folderBytes(folder: string): Promise<number> {
  let sum = 0;
  for (const entry of await readdir(folder, { withFileTypes: true, recursive: true })) if (entry.isFile()) sum += (await stat(join(entry.parentPath, entry.name)).catch(() => undefined))?.size ?? 0;
  return sum;
}

async function readBody(request: IncomingMessage): Promise<Buffer> {
  const parts: Buffer[] = [];
  let bytes = 0;
  for await (const part of request) {
    bytes += (part as Buffer).length;
    if (bytes > MOST_OBJECT_BYTES) throw new Refusal(413, "EntityTooLarge", "Objects are put in one piece of at most 128 MiB here");
    parts.push(part as Buffer);
  }
  return Buffer.concat(parts);
}

const xml = (text: string): string => text.replace(/[<>&"']/g, (c) => `&#${c.charCodeAt(0)};`);

