import type { Digest } from "./digest.ts";

/** Larger blobs are packs, which nobody reads whole twice. */
const PAGE_MOST_BYTES = 65_536;
const PAGES_KEPT_BYTES = 16 * 1024 * 1024;

/** Small blobs (pages of maps and catalogues) that are kept in memory while points are compared and published; the oldest give way. */
export class PageMemory {
  private readonly pages = new Map<Digest, Buffer>();
  private bytes = 0;

  get(digest: Digest): Buffer | undefined {
    return this.pages.get(digest);
  }

  keep(digest: Digest, page: Uint8Array): void {
    if (page.length > PAGE_MOST_BYTES || this.pages.has(digest)) return;
    this.pages.set(digest, Buffer.from(page));
    this.bytes += page.length;
    for (const oldest of this.pages.keys()) {
      if (this.bytes <= PAGES_KEPT_BYTES) break;
      this.forget(oldest);
    }
  }

  forget(digest: Digest): void {
    this.bytes -= this.pages.get(digest)?.length ?? 0;
    this.pages.delete(digest);
  }
}
