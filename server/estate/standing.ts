import type { Estate } from "#core/estate/model.ts";
import { EstateFileError, estateFromRaw } from "#formats/estate/read-estate.ts";
import { toRaw } from "#formats/estate/write-estate.ts";
import { GraphFileError } from "#formats/graph/dependency-graph.ts";
import { GeoJsonError } from "#formats/geojson/sites.ts";
import { OvfError } from "#formats/ovf/read-ovf.ts";
import { CannotError } from "../people/roles.ts";
import { EstateMovedError } from "./change-estate.ts";

/** An estate held against everything that a file is held against. Throws `EstateFileError`. */
export const checked = (estate: Estate): Estate => estateFromRaw(toRaw(estate)).estate;

/** What makes an estate that can stand; faults of what is brought in become one sentence. */
export function standing<T>(what: string, make: () => T): T {
  try {
    return make();
  } catch (error) {
    if (error instanceof EstateFileError) throw new CannotError(`${what}: ${error.faults.map((f) => `${f.path}: ${f.message}`).join("; ")}`);
    if (error instanceof OvfError) throw new CannotError(`${what}${error.line > 1 ? ` (line ${error.line})` : ""}: ${error.message}`);
    if (error instanceof GraphFileError) throw new CannotError(`${what}${error.line > 1 ? ` (line ${error.line})` : ""}: ${error.message}`);
    if (error instanceof GeoJsonError) throw new CannotError(`${what}: ${error.message}`);
    throw error;
  }
}

/** What to do where the estate is not the one any more that a change was made for. */
export const MOVED = "The estate has changed since this was shown, or the needle stands before a change. Bring the needle back to now, look at it again, then change it";

/** Carries out what was decided for one version of the estate; where it has moved on, the words say what to do. */
export async function unlessMoved<T>(words: string, act: () => Promise<T>): Promise<T> {
  try {
    return await act();
  } catch (error) {
    if (error instanceof EstateMovedError) throw new CannotError(words);
    throw error;
  }
}
