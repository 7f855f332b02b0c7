import { createContext, type ReactNode, useContext, useEffect, useRef, useState } from "react";
import { useRevalidator } from "react-router";
import type { FlowState } from "#core/copies/under-way.ts";

export type Clock = { instant: number; effective: number | "events"; held: boolean; flows: FlowState[] };
type Live = { clock: Clock; connected: boolean };

const LiveContext = createContext<Live | null>(null);
const REVALIDATE_AT_MOST_EVERY_MS = 1_200;
/** Figures are worked out anew when model time has moved on by this much. */
const MODEL_STEP_MS = 60_000;
const DISCONNECTED_AFTER_MS = 3_000;

/** Follows the server's events: model time and running transfers every second, and what has changed. */
export function LiveProvider({ initial, loadedAt, children }: { initial: Clock; loadedAt: number; children: ReactNode }) {
  const [clock, setClock] = useState(initial);
  const [connected, setConnected] = useState(true);
  const { revalidate } = useRevalidator();
  const pending = useRef<ReturnType<typeof setTimeout>>(undefined);
  const last = useRef(0);
  const seen = useRef(loadedAt);
  useEffect(() => {
    seen.current = loadedAt;
  }, [loadedAt]);
  useEffect(() => {
    const source = new EventSource("/live");
    let gone: ReturnType<typeof setTimeout> | undefined;
    const soon = (): void => {
      pending.current ??= setTimeout(
        () => {
          pending.current = undefined;
          last.current = Date.now();
          // While the server is away, what is on the page stays there; it is read anew at the next event.
          if (source.readyState === EventSource.OPEN) void revalidate();
        },
        Math.max(0, last.current + REVALIDATE_AT_MOST_EVERY_MS - Date.now()),
      );
    };
    source.addEventListener("changed", soon);
    source.addEventListener("clock", (event) => {
      const next = JSON.parse((event as MessageEvent<string>).data) as Clock;
      setClock(next);
      if (next.instant - seen.current >= MODEL_STEP_MS) {
        seen.current = next.instant;
        soon();
      }
    });
    source.onopen = () => {
      clearTimeout(gone);
      gone = undefined;
      setConnected(true);
    };
    source.onerror = () => {
      gone ??= setTimeout(() => setConnected(false), DISCONNECTED_AFTER_MS);
    };
    return () => {
      source.close();
      clearTimeout(gone);
      clearTimeout(pending.current);
      pending.current = undefined;
    };
  }, [revalidate]);
  return <LiveContext value={{ clock, connected }}>{children}</LiveContext>;
}

export function useLive(): Live {
  const live = useContext(LiveContext);
  if (!live) throw new Error("useLive stands inside LiveProvider");
  return live;
}
