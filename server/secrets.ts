import { createCipheriv, createDecipheriv, randomBytes } from "node:crypto";
import { readFile, writeFile } from "node:fs/promises";

/** Seals secrets at rest (AES-256-GCM) under a key that lies in the data folder, readable by its owner only. */
export class Sealer {
  private constructor(private readonly key: Buffer) {}

  static async fromFile(path: string): Promise<Sealer> {
    let key = await readFile(path).catch(() => undefined);
    if (!key) {
      key = randomBytes(32);
      await writeFile(path, key, { mode: 0o600, flag: "wx" });
    }
    if (key.length !== 32) throw new Error(`${path} is no key of 32 bytes`);
    return new Sealer(key);
  }

  seal(secret: unknown): string {
    const nonce = randomBytes(12);
    const cipher = createCipheriv("aes-256-gcm", this.key, nonce);
    const sealed = Buffer.concat([cipher.update(JSON.stringify(secret), "utf8"), cipher.final()]);
    return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString("base64");
  }

  open<T>(sealed: string): T {
    const bytes = Buffer.from(sealed, "base64");
    const decipher = createDecipheriv("aes-256-gcm", this.key, bytes.subarray(0, 12));
    decipher.setAuthTag(bytes.subarray(12, 28));
    return JSON.parse(Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString("utf8")) as T;
  }
}
