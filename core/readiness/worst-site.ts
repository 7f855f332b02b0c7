import type { CopyFact } from "../copies/copy-fact.ts";
import type { Estate } from "../estate/model.ts";
import { assessReadiness, KEEPS_TARGETS, type ServiceReadiness } from "./readiness.ts";

export type SiteHurt = { site: string; name: string; misses: number };

/**
 * How much the loss of each site would hurt: services that miss a target weigh by their tier, and
 * one that cannot return weighs double. Worst first; of equals the first in the estate.
 */
export function sitesByHurt(estate: Estate, facts: readonly CopyFact[], at: number): SiteHurt[] {
  const weight = (s: ServiceReadiness): number => (KEEPS_TARGETS.includes(s.verdict) ? (s.verdict === "stays-up" ? 0 : 0.01) : (5 - s.tier) * (s.verdict === "cannot-return" ? 2 : 1));
  return estate.sites
    .map((site, place) => {
      const { services } = assessReadiness(estate, facts, [site.id], at);
      return { site: site.id, name: site.name, place, misses: services.filter((s) => !KEEPS_TARGETS.includes(s.verdict)).length, hurt: services.reduce((sum, s) => sum + weight(s), 0) };
    })
    .sort((a, b) => b.hurt - a.hurt || a.place - b.place)
    .map(({ site, name, misses }) => ({ site, name, misses }));
}
