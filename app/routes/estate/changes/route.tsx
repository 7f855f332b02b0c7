import { Link, useSearchParams } from "react-router";
import { countWords } from "#core/wording/amounts.ts";
import { readActs } from "#server/db/queries/changes.ts";
import { load } from "../../../context.ts";
import { useLive } from "../../../frame/live.tsx";
import { instantText, useQuestionSearch } from "../../../frame/question-link.ts";
import { Workplace } from "../../../frame/workplace.tsx";
import { fullWords, momentWords } from "../../../frame/zoned.ts";
import { EstateNav } from "../estate-nav.tsx";
import { ItemChange } from "../item-change.tsx";
import type { Route } from "./+types/route";

const PAGE = 40;

export const meta: Route.MetaFunction = () => [{ title: "Changes · Estate · Ypostasis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const { searchParams } = new URL(request.url);
    const before = Number(searchParams.get("before") ?? NaN);
    const [kind, id] = (searchParams.get("of") ?? "").split("/");
    const acts = await readActs(context.app.connection.db, who.organisationId, PAGE + 1, {
      ...(Number.isSafeInteger(before) ? { before } : {}),
      ...(kind && id ? { item: { kind, id } } : {}),
    });
    return { acts: acts.slice(0, PAGE), more: acts.length > PAGE, of: kind && id ? { kind, id } : null, zone: who.timeZone };
  });
}

export default function Changes({ loaderData: { acts, more, of, zone } }: Route.ComponentProps) {
  const search = useQuestionSearch();
  const [params] = useSearchParams();
  useLive();
  return (
    <Workplace label="Changes">
      <h1>{of ? `What changed of ${of.id}` : "What changed in the estate"}</h1>
      <EstateNav shown="changes" />
      <p className="mt-2 max-w-4xl text-sm text-soft">
        Every change with who, when and why, the newest first. With the needle in the past, every page takes the estate as it was then.
        {of && (
          <>
            {" "}
            <Link className="plain-link" to={`/estate/changes${search()}`}>
              All changes
            </Link>
          </>
        )}
      </p>
      {acts.length === 0 && (
        <p className="mt-4 text-sm text-soft">
          Nothing has been changed yet{params.has("before") ? " before that" : ""}. Each change of the estate will stand here with its reason.
        </p>
      )}
      <ol className="mt-2 max-w-5xl pb-4">
        {acts.map((a) => (
          <li key={a.id} className="border-b border-line py-2 text-sm">
            <p>
              <span className="font-semibold" title={`${fullWords(a.modelAt, zone)}; by this server's clock ${new Date(a.wallAt).toISOString()}`}>
                {momentWords(a.modelAt, zone)}
              </span>{" "}
              {a.personName}: “{a.reason}” <span className="text-soft">· {countWords(a.total, "item")}</span>{" "}
              {/* Before the first of all there was no estate. */}
              {(more || of || a !== acts.at(-1)) && (
                <Link className="plain-link" to={`/estate${search({ at: instantText(Math.floor(a.modelAt / 1000) * 1000 - 1000) })}`}>
                  as it was before
                </Link>
              )}
            </p>
            {a.total > SHOWN_OPEN ? (
              <details>
                <summary className="cursor-default text-soft">{a.items.length < a.total ? `The first ${a.items.length} of them` : "Item by item"}</summary>
                <Items items={a.items} />
              </details>
            ) : (
              <Items items={a.items} />
            )}
          </li>
        ))}
      </ol>
      {more && (
        <Link className="plain-link text-sm" to={`/estate/changes${search({ of: params.get("of"), before: String(acts.at(-1)!.id) })}`}>
          Earlier ones
        </Link>
      )}
    </Workplace>
  );
}

const SHOWN_OPEN = 6;

const Items = ({ items }: { items: Route.ComponentProps["loaderData"]["acts"][number]["items"] }) => (
  <ul className="mt-1 space-y-0.5 pl-4">
    {items.map((i) => (
      <ItemChange key={`${i.kind}/${i.id}`} {...i} />
    ))}
  </ul>
);
