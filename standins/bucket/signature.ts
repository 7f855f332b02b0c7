import { createHash, createHmac, timingSafeEqual } from "node:crypto";

/** AWS Signature Version 4, header form, as the S3 protocol uses it. */
export type SignedRequest = { method: string; path: string; query: string; headers: Record<string, string | string[] | undefined> };

const hmac = (key: Buffer | string, text: string): Buffer => createHmac("sha256", key).update(text).digest();
const encode = (text: string): string => encodeURIComponent(text).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`);

const AUTHORIZATION = /^AWS4-HMAC-SHA256 Credential=([^/]+)\/(\d{8})\/([^/]+)\/s3\/aws4_request, ?SignedHeaders=([^,]+), ?Signature=([0-9a-f]{64})$/;

export type SignatureVerdict = "ok" | "unsigned" | "unknown-account" | "wrong-signature" | "clock-off";

/** Requests whose stated time is further off than this are refused, as common servers do. */
const CLOCK_TOLERANCE_MS = 15 * 60_000;

export function checkSignature(request: SignedRequest, secrets: ReadonlyMap<string, string>, now: number): SignatureVerdict {
  const header = request.headers["authorization"];
  const match = typeof header === "string" ? AUTHORIZATION.exec(header) : null;
  if (!match) return "unsigned";
  const [, account, date, region, signedHeaders, signature] = match as unknown as [string, string, string, string, string, string];
  const secret = secrets.get(account);
  if (secret === undefined) return "unknown-account";
  const stamp = String(request.headers["x-amz-date"] ?? "");
  const sent = Date.parse(stamp.replace(/^(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)Z$/, "$1-$2-$3T$4:$5:$6Z"));
  if (!(Math.abs(sent - now) <= CLOCK_TOLERANCE_MS)) return "clock-off";
  const expected = sign(request, { secret, date, region, signedHeaders: signedHeaders.split(";"), stamp });
  return timingSafeEqual(Buffer.from(expected), Buffer.from(signature)) ? "ok" : "wrong-signature";
}

export function sign(request: SignedRequest, by: { secret: string; date: string; region: string; signedHeaders: string[]; stamp: string }): string {
  const query = [...new URLSearchParams(request.query)]
    .map(([k, v]) => [encode(k), encode(v)] as const)
    .sort(([a, x], [b, y]) => (a < b ? -1 : a > b ? 1 : x < y ? -1 : 1))
    .map(([k, v]) => `${k}=${v}`)
    .join("&");
  const headers = by.signedHeaders.map((name) => `${name}:${String(request.headers[name] ?? "").trim().replace(/ +/g, " ")}\n`).join("");
  const canonical = [request.method, request.path, query, headers, by.signedHeaders.join(";"), request.headers["x-amz-content-sha256"] ?? "UNSIGNED-PAYLOAD"].join("\n");
  const scope = `${by.date}/${by.region}/s3/aws4_request`;
  const toSign = ["AWS4-HMAC-SHA256", by.stamp, scope, createHash("sha256").update(canonical).digest("hex")].join("\n");
  const key = ["s3", "aws4_request"].reduce(hmac, hmac(hmac(`AWS4${by.secret}`, by.date), by.region));
  return hmac(key, toSign).toString("hex");
}
