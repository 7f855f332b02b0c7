import { DeleteObjectCommand, GetObjectCommand, HeadObjectCommand, ListObjectsV2Command, PutObjectCommand, S3Client } from "@aws-sdk/client-s3";
import { EngineError } from "../errors.ts";
import { assertBlobName, type ByteRange, type Store } from "./store.ts";

export type BucketAddress = {
  endpoint: string;
  region: string;
  bucket: string;
  /** Put before every name, for example `vault/`. */
  prefix?: string;
  accessKeyId: string;
  secretAccessKey: string;
};

/** A bucket behind the S3 protocol. */
export class BucketStore implements Store {
  private readonly client: S3Client;

  constructor(
    readonly id: string,
    private readonly address: BucketAddress,
  ) {
    this.client = new S3Client({
      endpoint: address.endpoint,
      region: address.region,
      forcePathStyle: true,
      credentials: { accessKeyId: address.accessKeyId, secretAccessKey: address.secretAccessKey },
      // Blobs carry their own SHA-256 in their names; streamed trailers are not understood by every server.
      requestChecksumCalculation: "WHEN_REQUIRED",
      responseChecksumValidation: "WHEN_REQUIRED",
      maxAttempts: 3,
    });
  }

  async put(name: string, bytes: Uint8Array): Promise<void> {
    assertBlobName(name);
    await this.tell(`Writing ${name}`, () => this.client.send(new PutObjectCommand({ ...this.at(name), Body: bytes })));
  }

  async get(name: string, range?: ByteRange): Promise<Buffer> {
    assertBlobName(name);
    if (range && range.to <= range.from) return Buffer.alloc(0);
    const asked = range ? { Range: `bytes=${range.from}-${range.to - 1}` } : {};
    const reply = await this.tell(`Reading ${name}`, () => this.client.send(new GetObjectCommand({ ...this.at(name), ...asked })));
    if (!reply.Body) return Buffer.alloc(0);
    const body = reply.Body;
    return this.tell(`Reading ${name}`, async () => Buffer.from(await body.transformToByteArray()));
  }

  async size(name: string): Promise<number | undefined> {
    assertBlobName(name);
    try {
      const reply = await this.tell(`Looking for ${name}`, () => this.client.send(new HeadObjectCommand(this.at(name))));
      return reply.ContentLength;
    } catch (error) {
      if (error instanceof EngineError && error.kind === "missing" && error.data["bucket"] !== true) return undefined;
      throw error;
    }
  }

  async *list(prefix: string): AsyncIterable<{ name: string; bytes: number }> {
    const own = this.address.prefix ?? "";
    let token: string | undefined;
    do {
      const page = await this.tell("Listing", () =>
        this.client.send(new ListObjectsV2Command({ Bucket: this.address.bucket, Prefix: own + prefix, ...(token ? { ContinuationToken: token } : {}) })),
      );
      for (const item of page.Contents ?? []) if (item.Key) yield { name: item.Key.slice(own.length), bytes: item.Size ?? 0 };
      token = page.IsTruncated ? page.NextContinuationToken : undefined;
    } while (token);
  }

  async delete(name: string): Promise<void> {
    assertBlobName(name);
    await this.tell(`Deleting ${name}`, () => this.client.send(new DeleteObjectCommand(this.at(name))));
  }

  private at(name: string): { Bucket: string; Key: string } {
    return { Bucket: this.address.bucket, Key: (this.address.prefix ?? "") + name };
  }

  private async tell<T>(doing: string, act: () => Promise<T>): Promise<T> {
    try {
      return await act();
    } catch (error) {
      throw this.explain(error, doing);
    }
  }

  private explain(error: unknown, doing: string): EngineError {
    const { name = "", message = "", $metadata } = error as { name?: string; message?: string; $metadata?: { httpStatusCode?: number } };
    const where = `bucket ${this.address.bucket} at ${this.address.endpoint}`;
    const status = $metadata?.httpStatusCode;
    if (name === "NoSuchBucket") return new EngineError("missing", `${doing}: there is no ${where}`, { bucket: true }, { cause: error });
    if (name === "InvalidRange") return new EngineError("damaged", `${doing} in ${where}: the blob is shorter than it should be`, {}, { cause: error });
    if (status === 404) return new EngineError("missing", `${doing}: it is not in ${where}`, {}, { cause: error });
    if (status === 403 || status === 401) return new EngineError("refused", `${doing}: ${where} refuses the account (${name}); check access key and secret`, { status }, { cause: error });
    if (status === 507) return new EngineError("full", `${doing}: no room is left in ${where}`, { status }, { cause: error });
    return new EngineError("unreachable", `${doing}: ${where} does not answer as it should (${name || "error"}: ${message})`, { status }, { cause: error });
  }
}
