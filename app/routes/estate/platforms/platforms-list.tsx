import { useState } from "react";
import { Link } from "react-router";
import { countWords } from "#core/wording/amounts.ts";
import { useQuestionSearch } from "../../../frame/question-link.ts";
import { useMayAct } from "../../../frame/who.ts";
import { momentWords } from "../../../frame/zoned.ts";
import { Button } from "../../../ui/button.tsx";
import { Sheet } from "../../../ui/sheet.tsx";
import { ConnectDialog } from "./connect-dialog.tsx";
import type { readPlatforms } from "#server/platforms/platform-view.ts";

type Platforms = Awaited<ReturnType<typeof readPlatforms>>;

/** Connected platforms, and the way to connect another. */
export function PlatformsList({
  platforms,
  sites,
  hosts,
  zone,
  onDone,
}: {
  platforms: Platforms;
  sites: readonly { id: string; name: string }[];
  hosts: readonly { id: string; name: string }[];
  zone: string;
  onDone: (words: string) => void;
}) {
  const [connecting, setConnecting] = useState(false);
  const search = useQuestionSearch();
  const mayAct = useMayAct();
  return (
    <section aria-label="Platforms" className="mt-3">
      <Button disabled={!mayAct} onClick={() => setConnecting(true)}>
        Connect a platform
      </Button>
      {platforms.length === 0 ? (
        <p className="mt-3 max-w-2xl text-sm text-soft">
          None is connected yet. Once one is, Ypostasis lists what runs there and shows, each time it is discovered again, what appeared, changed or is gone. A folder of disk
          images with OVF descriptors counts as one too.
        </p>
      ) : (
        <Sheet heads={["Platform", "Site", "Family", "Lists", "Last tried", "Discovered", "To decide"]} className="mt-2">
          {platforms.map((p) => {
            const wrong = p.trials.filter((t) => t.outcome === "wrong");
            return (
              <tr key={p.id}>
                <th scope="row">
                  <Link className="plain-link figures" to={`/estate/platforms/${p.id}${search()}`}>
                    {p.id}
                  </Link>
                </th>
                <td>{p.site}</td>
                <td>{p.family ? `${p.family} ${p.version}` : "not known yet"}</td>
                <td>{p.discoveredAt === null ? "not discovered yet" : `${countWords(p.machines, "machine")}${p.hosts > 0 ? ` on ${countWords(p.hosts, "host")}` : ""}`}</td>
                <td className={wrong.length > 0 ? "text-late" : ""}>{wrong.length > 0 ? wrong.map((t) => t.words).join("; ") : "good"}</td>
                <td>{p.discoveredAt === null ? "–" : momentWords(p.discoveredAt, zone)}</td>
                <td className={p.open > 0 ? "font-semibold" : "text-soft"}>{p.open === 0 ? "nothing" : countWords(p.open, "finding")}</td>
              </tr>
            );
          })}
        </Sheet>
      )}
      <ConnectDialog open={connecting} onOpenChange={setConnecting} sites={sites} hosts={hosts} onDone={onDone} />
    </section>
  );
}
