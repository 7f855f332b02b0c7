import type { NextReply, NextRequest, Pace, WorldOperation, WorldStatus } from "#standins/world/protocol.ts";

/** Model time and everything that takes some of it. With real platforms model time is wall time. */
export interface Clock {
  now(): Promise<number>;
  /** Accepts operations; the same key twice is one operation. Their ends come as events. */
  begin(operations: readonly WorldOperation[]): Promise<void>;
  cancel(keys: readonly string[]): Promise<void>;
  /**
   * Accepts operations as `begin` does, then acknowledges events and waits for further ones; time
   * stands still at an event until it is acknowledged.
   */
  next(request: NextRequest): Promise<NextReply>;
  status(): Promise<WorldStatus>;
  setPace(pace: Pace): Promise<void>;
  setHandWaits(waits: boolean): Promise<void>;
}
