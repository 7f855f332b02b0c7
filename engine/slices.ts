/**
 * How the engine tells its caller what is about to move, and waits until it may.
 * A slice's `write` is safe to repeat: what has arrived is found and not sent again.
 */
export interface SlicePort {
  /**
   * `key` is unique within one leg and the same when the leg is taken up again.
   * Resolves with what `write` gave, after its bytes are durable.
   */
  slice<T>(key: string, nominalBytes: number, write: () => Promise<T>): Promise<T>;
  /** Nominal bytes that a paced slice carries at least; more than usual where nobody watches it move. */
  readonly leastSliceBytes?: number;
}

/** Nothing to wait for: writes at once and reports what has moved. */
export function unpaced(report: (nominalBytes: number) => void = () => undefined): SlicePort {
  return {
    async slice(_key, nominalBytes, write) {
      const result = await write();
      report(nominalBytes);
      return result;
    },
  };
}

const LEAST_SLICE_BYTES = 8 * 1024 ** 3;
const MOST_SLICE_BYTES = 64 * 1024 ** 3;
const SLICES_PER_LEG = 8;

/**
 * Nominal bytes a paced slice carries at most: about an eighth of the leg, so that progress is
 * seen and little is lost by a stop, but never so small that the slices themselves cost more than
 * what they move.
 */
export const sliceBytes = (legBytes: number, least = LEAST_SLICE_BYTES): number => Math.max(least, Math.min(MOST_SLICE_BYTES, legBytes / SLICES_PER_LEG));
