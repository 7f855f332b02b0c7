import { IMPACT_LEVELS, type ImpactLevel, type SecurityCategory, SECURITY_OBJECTIVES } from "./model.ts";

/** What the levels of FIPS 199 mean, as its section 3 words them. */
export const LEVEL_MEANS: Record<ImpactLevel, string> = { low: "limited adverse effect", moderate: "serious adverse effect", high: "severe or catastrophic adverse effect" };

export const highest = (levels: readonly ImpactLevel[]): ImpactLevel | null => [...levels].sort((a, b) => IMPACT_LEVELS.indexOf(b) - IMPACT_LEVELS.indexOf(a))[0] ?? null;

/** The overall level of a category: the high-water mark over its objectives (FIPS 200, section 3). */
export const highWaterMark = (category: SecurityCategory): ImpactLevel => highest(SECURITY_OBJECTIVES.map((o) => category[o]))!;

/** The category of a system that holds several kinds of information: the highest of each objective (FIPS 199, section 4). */
export function categoryOfAll(categories: readonly SecurityCategory[]): SecurityCategory | null {
  if (categories.length === 0) return null;
  return Object.fromEntries(SECURITY_OBJECTIVES.map((o) => [o, highest(categories.map((c) => c[o]))])) as SecurityCategory;
}
