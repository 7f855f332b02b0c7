import { randomBytes } from "node:crypto";
import { EngineError } from "../errors.ts";
import type { Store } from "./store.ts";

export const PROBE_STEPS = ["sign in", "write", "read back", "list", "delete", "room"] as const;
export type ProbeStep = { what: (typeof PROBE_STEPS)[number]; outcome: "good" | "wrong" | "untried"; words: string };

const PROBE_BYTES = 1024 * 1024;

/** Tries all that copies will need of a store, with one blob that is deleted again; changes nothing else. Never throws for what it finds wrong. */
export async function probeStore(store: Store): Promise<ProbeStep[]> {
  const name = `probe/${randomBytes(12).toString("hex")}`;
  const bytes = randomBytes(PROBE_BYTES);
  const done: ProbeStep[] = [];
  const step = async (what: ProbeStep["what"], act: () => Promise<string>): Promise<void> => {
    done.push({ what, outcome: "good", words: await act() });
  };
  try {
    await step("sign in", async () => ((await store.size(name)) === undefined ? "it answers and lets us in" : "it answers"));
    await step("write", async () => `1 MiB written, ${await timed(() => store.put(name, bytes))}`);
    await step("read back", async () => {
      let back: Buffer = Buffer.alloc(0);
      const words = await timed(async () => void (back = await store.get(name)));
      if (!back.equals(bytes)) throw new EngineError("damaged", "what was read back is not what was written: the store cannot be trusted");
      return `read back and the same, ${words}`;
    });
    await step("list", async () => {
      for await (const blob of store.list("probe/")) if (blob.name === name && blob.bytes === PROBE_BYTES) return "listed with its size";
      throw new EngineError("missing", "what was just written is not listed");
    });
    await step("delete", async () => {
      await store.delete(name);
      if ((await store.size(name)) !== undefined) throw new EngineError("refused", "what was deleted is still there: is it locked, or kept in versions?");
      return "deleted and gone";
    });
    await step("room", async () => {
      const room = await store.room?.();
      if (room && room.freeBytes < PROBE_BYTES) throw new EngineError("full", "no room is left on it");
      return room ? `${Math.floor(room.freeBytes / 2 ** 30)} GiB free of ${Math.floor(room.totalBytes / 2 ** 30)} GiB (real bytes)` : "it does not say how much room it has; the estate's capacity holds";
    });
  } catch (error) {
    if (!(error instanceof EngineError)) throw error;
    const failed = done.length;
    done.push({ what: PROBE_STEPS[failed]!, outcome: "wrong", words: error.message });
    for (const what of PROBE_STEPS.slice(failed + 1)) done.push({ what, outcome: "untried", words: "could not be tried" });
    // What was written goes, whatever happened to the rest.
    if (failed > 1) await store.delete(name).catch(() => undefined);
  }
  return done;
}

async function timed(act: () => Promise<unknown>): Promise<string> {
  const began = performance.now();
  await act();
  return `${Math.max(1, Math.round(performance.now() - began))} ms`;
}
