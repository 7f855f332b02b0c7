import type { ChainLink } from "#core/readiness/readiness.ts";
import { durationWords } from "#core/wording/amounts.ts";

/** What decides when a service is serviceable, link by link from the strike, with the waits in between. */
export function ChainList({ chain }: { chain: readonly ChainLink[] }) {
  return (
    <ol className="mt-1">
      {chain.map((link) => (
        <li key={link.step} className="grid grid-cols-[1fr_auto] gap-x-3 border-b border-line py-1">
          <span>
            {link.title}
            {link.waitedFor && (
              <span className="block text-xs text-late">
                waits {durationWords(link.waited)} for {link.waitedFor}
              </span>
            )}
          </span>
          <span className="figures text-right">
            {durationWords(link.finish - link.start)}
            <span className="block text-xs text-soft">until {durationWords(link.finish)}</span>
          </span>
        </li>
      ))}
    </ol>
  );
}
