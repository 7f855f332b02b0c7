import { countWords } from "#core/wording/amounts.ts";
import type { ObservedFlow } from "#core/estate/flow.ts";
import { momentWords } from "../../frame/zoned.ts";
import { Sheet } from "../../ui/sheet.tsx";

/** What was seen between machines, the busiest first. */
export function FlowsList({ connections: { flows, total }, zone }: { connections: { flows: readonly ObservedFlow[]; total: number }; zone: string }) {
  if (total === 0)
    return (
      <p className="mt-4 max-w-2xl text-sm text-soft">
        No connections between machines have been brought in yet. A table with one row each (from machine, to machine, port, last seen; protocol and number of connections where
        known) shows what the services lean on in truth: any flow log can be turned into one. A connected platform that looks tells them when it is discovered.
      </p>
    );
  return (
    <section aria-label="Observed connections" className="mt-3">
      <p className="text-sm text-soft">
        {countWords(total, "connection")} between machines, the busiest first{total > flows.length && `; the first ${flows.length} are shown`}.
      </p>
      <Sheet heads={["From", "To", "Port", "Seen", "Last"]}>
        {flows.map((f) => (
          <tr key={`${f.from} ${f.to} ${f.protocol} ${f.port} ${f.connections}`}>
            <th scope="row" className="figures">
              {f.from}
            </th>
            <td className="figures">{f.to}</td>
            <td className="figures">
              {f.port} {f.protocol}
            </td>
            <td className="figures">{f.connections}</td>
            <td>{momentWords(f.lastSeen, zone)}</td>
          </tr>
        ))}
      </Sheet>
    </section>
  );
}
