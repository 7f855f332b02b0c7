import type { ChangeRate } from "../estate/model.ts";

/**
 * Bytes that a capture finds changed after `seconds`: random writes over the `m = hot ÷ block`
 * tracking blocks of a hot set touch on average `m·(1 − (1 − 1/m)^n)` of them (exact occupancy of
 * n balls in m boxes), each counted whole; growth is counted apart; never more than `most`.
 *
 * Degenerate cases: no hot set or no writes give growth alone; a hot set smaller than one block is
 * one block. Source: classical occupancy, Feller, An Introduction to Probability Theory I, IV.2.
 */
export function changedBytes(change: ChangeRate, blockBytes: number, seconds: number, most: number): number {
  const hours = seconds / 3600;
  const grown = change.grown * hours;
  if (change.hot <= 0 || change.written <= 0 || seconds <= 0) return Math.min(most, Math.max(0, grown));
  const boxes = Math.max(1, change.hot / blockBytes);
  const balls = (change.written * hours) / blockBytes;
  const touched = boxes * -Math.expm1(balls * Math.log1p(-1 / boxes));
  return Math.min(most, (boxes === 1 ? Math.min(1, balls) : touched) * blockBytes + grown);
}
