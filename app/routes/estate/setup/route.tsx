import { eq } from "drizzle-orm";
import { useFetcher } from "react-router";
import { durationWords } from "#core/wording/amounts.ts";
import { keepSetup, tryAllSetup } from "#server/acts/setup.ts";
import type { SetupKind } from "#server/checks/setup.ts";
import { loadEstate } from "#server/db/queries/estate.ts";
import { setupAddresses } from "#server/db/schema.ts";
import { CannotError } from "#server/people/roles.ts";
import { load, perform } from "../../../context.ts";
import { useLive } from "../../../frame/live.tsx";
import { useMayAct } from "../../../frame/who.ts";
import { Workplace } from "../../../frame/workplace.tsx";
import { momentWords } from "../../../frame/zoned.ts";
import { Button } from "../../../ui/button.tsx";
import { Field } from "../../../ui/field.tsx";
import { type FormResult, readForm } from "../../../ui/form-result.ts";
import { Notice } from "../../../ui/notice.tsx";
import { orUnanswered } from "../../../ui/or-unanswered.ts";
import { NoEstate } from "../../readiness/no-estate.tsx";
import { EstateNav } from "../estate-nav.tsx";
import type { Route } from "./+types/route";
import { setupForm } from "./forms.ts";

export const meta: Route.MetaFunction = () => [{ title: "Coordinator · Estate · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const { db } = context.app.connection;
    const estate = await loadEstate(db, who.organisationId);
    if (!estate) return { view: null, zone: who.timeZone };
    const stated = await db.select().from(setupAddresses).where(eq(setupAddresses.organisationId, who.organisationId));
    const site = (id: string): string => estate.sites.find((s) => s.id === id)!.name;
    const { coordinator: c } = estate;
    return {
      view: {
        coordinator: { site: site(c.site), copy: `${c.copy.method}, to ${site(c.copy.site)}`, returns: `at ${site(c.returns.site)} within ${durationWords(c.returns.seconds)}` },
        stated: stated.map(({ what, address, triedAt, good, words }) => ({ what, address, triedAt: triedAt?.getTime() ?? null, good, words })),
      },
      zone: who.timeZone,
    };
  });
}

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (person): Promise<FormResult> => {
    const form = await request.formData();
    if (form.get("act") === "try-all") {
      const trials = await tryAllSetup({ app: context.app, person });
      return {
        done: trials.every((t) => t.good)
          ? "All that is stated is good."
          : trials
              .filter((t) => !t.good)
              .map((t) => t.words)
              .join("; "),
      };
    }
    if (form.get("act") !== "state") throw new CannotError("The page asked for something that is not known; load it anew");
    const read = readForm(setupForm, form);
    if ("wrong" in read) return read.wrong;
    const trial = await keepSetup({ app: context.app, person }, read.values.what as SetupKind, read.values.address);
    return { done: `Kept. ${trial.words}.` };
  });
}
export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(() => serverAction());

const WORDS: Record<SetupKind, { head: string; why: string }> = {
  names: { head: "Name server", why: "By it the checks of services find what they try; it should know every service's name." },
  clock: { head: "Time server", why: "A wrong clock falsifies every RPO: every point would be younger or older than it says." },
  mail: { head: "Mail server", why: "Through it people are told; one that refuses is found out on a quiet day." },
};
const KINDS = Object.keys(WORDS) as SetupKind[];

export default function Setup({ loaderData: { view, zone } }: Route.ComponentProps) {
  const fetcher = useFetcher<FormResult>();
  const mayAct = useMayAct();
  useLive();
  if (!view) return <NoEstate />;
  const { coordinator: c, stated } = view;
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  const wrong = stated.filter((s) => s.good === false);
  return (
    <Workplace label="Coordinator">
      <h1>{wrong.length > 0 ? `${wrong.map((s) => WORDS[s.what].head).join(" and ")}: not as it should be` : "What the coordinator itself leans on"}</h1>
      <EstateNav shown="setup" />
      <p className="mt-2 max-w-4xl text-sm text-soft">
        It runs at {c.site}; its own copy: {c.copy}; it returns {c.returns}. These are stated in the estate.
      </p>
      <div className="mt-3 max-w-3xl">
        {KINDS.map((what) => (
          <SetupPart key={what} what={what} stated={stated.find((s) => s.what === what) ?? null} mayAct={mayAct} zone={zone} />
        ))}
        {stated.length > 0 && (
          <fetcher.Form method="post" className="mt-4">
            <input type="hidden" name="act" value="try-all" />
            <Button type="submit" disabled={!mayAct || fetcher.state !== "idle"}>
              {fetcher.state === "idle" ? "Try all again" : "Trying …"}
            </Button>
          </fetcher.Form>
        )}
        {result && "done" in result && (
          <p role="status" className="mt-1 text-sm text-soft">
            {result.done}
          </p>
        )}
        {result && "error" in result && <Notice kind="wrong">{result.error}</Notice>}
      </div>
    </Workplace>
  );
}

type Stated = { what: SetupKind; address: string; triedAt: number | null; good: boolean | null; words: string | null };

function SetupPart({ what, stated, mayAct, zone }: { what: SetupKind; stated: Stated | null; mayAct: boolean; zone: string }) {
  const fetcher = useFetcher<FormResult>();
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  const errors = (result && "error" in result && result.reply?.error) || {};
  const { head, why } = WORDS[what];
  return (
    <section aria-label={head} className="border-b border-line py-3">
      <h2 className="text-base">{head}</h2>
      <p className="text-sm text-soft">{why}</p>
      {stated?.words && (
        <p className={`mt-1 text-sm ${stated.good ? "" : "text-late"}`}>
          {stated.words}. {stated.triedAt !== null && <span className="text-soft">Tried {momentWords(stated.triedAt, zone)} by this server's clock.</span>}
        </p>
      )}
      {stated && !stated.words && <p className="mt-1 text-sm text-tight">{stated.address} has not been tried yet.</p>}
      {!stated && <p className="mt-1 text-sm text-tight">None is stated.</p>}
      <fetcher.Form method="post" className="mt-2 flex flex-wrap items-end gap-3" noValidate>
        <input type="hidden" name="act" value="state" />
        <input type="hidden" name="what" value={what} />
        <Field
          id={`setup-${what}`}
          name="address"
          label="Address"
          defaultValue={stated?.address ?? ""}
          className="w-72"
          errors={errors["address"] ?? undefined}
          autoComplete="off"
        />
        <Button type="submit" disabled={!mayAct || fetcher.state !== "idle"}>
          {fetcher.state === "idle" ? "Keep and try" : "Trying …"}
        </Button>
      </fetcher.Form>
      {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
    </section>
  );
}
