import ELK from "elkjs/lib/elk-api.js";
import workerUrl from "elkjs/lib/elk-worker.min.js?url";
import { useEffect, useState } from "react";
import { type Layout, layoutGraph, type LayoutRequest } from "#core/graph/layout.ts";

let engine: InstanceType<typeof ELK> | undefined;

/** Lays a graph out in a worker; gives the layout before while a new one is worked out. */
export function useGraphLayout(request: LayoutRequest, key: string): { layout: Layout | null; busy: boolean; failed: boolean } {
  const [found, setFound] = useState<{ key: string; layout: Layout } | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  useEffect(() => {
    let isOpen = true;
    engine ??= new ELK({ workerUrl });
    layoutGraph(request, engine)
      .then((layout) => isOpen && setFound({ key, layout }), () => isOpen && setFailed(key))
      .finally(() => (isOpen = false));
    return () => {
      if (!isOpen) return;
      // What nobody waits for any more would keep the next one waiting.
      isOpen = false;
      engine?.terminateWorker();
      engine = undefined;
    };
    // The key stands for all that the request says.
  }, [key]);
  return { layout: found?.layout ?? null, busy: found?.key !== key && failed !== key, failed: failed === key };
}
