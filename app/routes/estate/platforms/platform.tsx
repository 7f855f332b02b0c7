import { useState } from "react";
import { Link, useFetcher } from "react-router";
import { countWords, listWords } from "#core/wording/amounts.ts";
import { load } from "../../../context.ts";
import { useLive } from "../../../frame/live.tsx";
import { useQuestionSearch } from "../../../frame/question-link.ts";
import { useMayAct } from "../../../frame/who.ts";
import { Workplace } from "../../../frame/workplace.tsx";
import { momentWords } from "../../../frame/zoned.ts";
import { Button } from "../../../ui/button.tsx";
import { Notice } from "../../../ui/notice.tsx";
import { EstateNav } from "../estate-nav.tsx";
import type { Route } from "./+types/platform";
import type { PlatformResult } from "./actions.ts";
import { ConnectDialog } from "./connect-dialog.tsx";
import { fieldWords, FindingsTable } from "./findings-table.tsx";
import { type PlatformView, readPlatform } from "#server/platforms/platform-view.ts";

export const meta: Route.MetaFunction = ({ params }) => [{ title: `${params.platform} · Estate · Ypostasis` }];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const platform = await readPlatform(context.app, who.organisationId, params.platform);
    if (!platform) throw new Response("This platform is not connected", { status: 404 });
    return { platform, zone: who.timeZone };
  });
}

const CAN = {
  "start-from-copy": "starts machines from a copy",
  "move-running": "moves a running machine's disks",
  "network-boot": "boots over the network",
  quiesce: "brings applications to rest for a capture",
} as const;

export default function Platform({ loaderData: { platform: p, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const [reaching, setReaching] = useState(false);
  const [told, setTold] = useState<string | null>(null);
  const mayAct = useMayAct();
  useLive();
  const busy = p.work && ["waiting", "running"].includes(p.work.state);
  return (
    <Workplace label={`Platform ${p.id}`}>
      <h1>
        <span className="figures">{p.id}</span> at {p.site}
      </h1>
      <EstateNav shown="platforms" />
      <p className="mt-2 text-sm text-soft">
        <span className="figures break-all">{p.address}</span>
        {p.account && ` as ${p.account}`}
        {p.family && ` · ${p.family} ${p.version}`}
        {p.discoveredAt !== null &&
          ` · discovered ${momentWords(p.discoveredAt, zone)}: ${countWords(p.machines, "machine")}${p.hosts > 0 ? ` on ${countWords(p.hosts, "host")}` : ""}`}
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <ActButton platform={p.id} act="discover" kind="act" disabled={!mayAct || busy === true}>
          {busy ? "Being discovered" : "Discover now"}
        </ActButton>
        <ActButton platform={p.id} act="try" disabled={!mayAct}>
          Try it now
        </ActButton>
        {p.account && (
          <Button disabled={!mayAct} onClick={() => setReaching(true)}>
            Reach it anew
          </Button>
        )}
        <ForgetButton platform={p.id} disabled={!mayAct} />
        {p.work && (
          <span role="status" className={`text-sm ${p.work.state === "failed" ? "text-late" : "text-soft"}`}>
            {p.work.failure ?? p.work.note ?? (busy ? "waiting" : "")}
          </span>
        )}
      </div>
      {told && (
        <p role="status" className="mt-1 text-sm text-soft">
          {told}
        </p>
      )}
      <div className="mt-4 grid gap-x-8 gap-y-4 lg:grid-cols-2">
        <Trials platform={p} />
        <Capabilities platform={p} />
      </div>
      {p.images.length > 0 && <Images images={p.images} />}
      <h2 className="mt-5 border-b border-line-strong pb-0.5 text-base">What discovery found</h2>
      <div className="mt-2 pb-6">
        {p.discoveredAt === null ? (
          <p className="text-sm text-soft">Nothing has been listed yet. Discover it, and what runs there is compared with the estate.</p>
        ) : p.findings.length === 0 ? (
          <p className="text-sm text-soft">What runs there is what the estate says{p.left.length > 0 ? ", apart from what was left as it is" : ""}.</p>
        ) : (
          <FindingsTable platform={p.id} base={p.base} findings={p.findings} />
        )}
        {p.left.length > 0 && (
          <details className="mt-3 text-sm">
            <summary className="cursor-default text-soft">{countWords(p.left.length, "finding")} left as they are</summary>
            <ul>
              {p.left.slice(0, 200).map((f) => (
                <li key={f.key} className="border-b border-line py-1">
                  <span className="figures">{f.id}</span> {f.change} {fieldWords(f)}{" "}
                  <span className="text-soft">
                    ({f.personName}: {f.reason})
                  </span>
                </li>
              ))}
            </ul>
          </details>
        )}
        <p className="mt-3 text-sm">
          <Link className="plain-link" to={`/estate${search({ show: "platforms" })}`}>
            All platforms
          </Link>
        </p>
      </div>
      <ConnectDialog open={reaching} onOpenChange={setReaching} sites={[{ id: p.siteId, name: p.site }]} hosts={[]} again={p} onDone={setTold} />
    </Workplace>
  );
}

const SHOWN_IMAGES = 100;

/** Machines that lie here as files: they are protected one to one, as real folders. */
function Images({ images }: { images: PlatformView["images"] }) {
  const search = useQuestionSearch();
  return (
    <section aria-label="Images">
      <h2 className="mt-5 border-b border-line-strong pb-0.5 text-base">Images, real and one to one</h2>
      <ul>
        {images.slice(0, SHOWN_IMAGES).map((m) => (
          <li key={m.id} className="flex gap-3 border-b border-line py-1 text-sm">
            <span className="figures w-44 shrink-0 font-medium">{m.id}</span>
            <span className="figures min-w-0 flex-1 truncate text-soft">{m.folder}</span>
            <Link className="plain-link" to={`/copies${search({ protect: m.folder, as: m.id })}`}>
              Protect its folder
            </Link>
          </li>
        ))}
      </ul>
      {images.length > SHOWN_IMAGES && (
        <p className="text-xs text-soft">
          The first {SHOWN_IMAGES} of {images.length} are shown.
        </p>
      )}
    </section>
  );
}

function Trials({ platform }: { platform: PlatformView }) {
  return (
    <section aria-label="What trying it told">
      <h2 className="border-b border-line-strong pb-0.5 text-base">Tried</h2>
      <ul>
        {platform.trials.map((t) => (
          <li key={t.what} className={`flex gap-3 border-b border-line py-1 text-sm ${t.outcome === "wrong" ? "text-late" : t.outcome === "untried" ? "text-soft" : ""}`}>
            <span className="w-20 shrink-0 text-soft">{t.what}</span>
            <span>{t.words}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Capabilities({ platform: p }: { platform: PlatformView }) {
  if (p.discoveredAt === null) return null;
  return (
    <section aria-label="What it can do">
      <h2 className="border-b border-line-strong pb-0.5 text-base">What it can do, and what that closes</h2>
      <ul className="text-sm">
        {p.can.map((c) => (
          <li key={c} className="border-b border-line py-1">
            {CAN[c]}
          </li>
        ))}
        {p.converts.length > 0 && <li className="border-b border-line py-1">takes over machines of {listWords(p.converts)}</li>}
        {p.closed.map((words) => (
          <li key={words} className="border-b border-line py-1 text-tight">
            {words}
          </li>
        ))}
        {p.agentsAnswering.length > 0 && <li className="border-b border-line py-1">agents answer on {listWords(p.agentsAnswering)}</li>}
        {p.agents.map((a) => (
          <li key={a.machine} className="border-b border-line py-1 text-late">
            <span className="figures">{a.machine}</span>: {a.words}
          </li>
        ))}
      </ul>
    </section>
  );
}

function ActButton({ platform, act, kind, disabled, children }: { platform: string; act: string; kind?: "act"; disabled: boolean; children: React.ReactNode }) {
  const fetcher = useFetcher<PlatformResult>();
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  return (
    <fetcher.Form method="post" action="/estate/platforms" className="flex items-center gap-2">
      <input type="hidden" name="platform" value={platform} />
      <Button type="submit" name="act" value={act} disabled={disabled || fetcher.state !== "idle"} {...(kind ? { kind } : {})}>
        {children}
      </Button>
      {result && "error" in result && <Notice kind="wrong">{result.error}</Notice>}
    </fetcher.Form>
  );
}

/** Asks once more, for the account would have to be written again. */
function ForgetButton({ platform, disabled }: { platform: string; disabled: boolean }) {
  const [asked, setAsked] = useState(false);
  if (!asked)
    return (
      <Button kind="grave" disabled={disabled} onClick={() => setAsked(true)}>
        Forget it
      </Button>
    );
  return (
    <span className="flex items-center gap-2 text-sm">
      Its account and what it listed are forgotten; the estate stays.
      <ActButton platform={platform} act="forget" disabled={disabled}>
        Forget {platform}
      </ActButton>
      <Button onClick={() => setAsked(false)}>Keep it</Button>
    </span>
  );
}
