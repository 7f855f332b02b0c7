import { writeEstateJson, writeEstateYaml } from "#formats/estate/write-estate.ts";
import type { Estate } from "#core/estate/model.ts";
import { graphOf } from "#formats/graph/dependency-graph.ts";
import { writeDot } from "#formats/graph/dot.ts";
import { writeGraphml } from "#formats/graph/graphml.ts";
import { writeSitesGeoJson } from "#formats/geojson/sites.ts";
import { loadEstate } from "#server/db/queries/estate.ts";
import { load } from "../../context.ts";
import type { Route } from "./+types/file";

const FORMS = {
  "estate.yaml": { type: "application/yaml", write: writeEstateYaml },
  "sites.geojson": { type: "application/geo+json", write: (estate: Estate) => `${JSON.stringify(writeSitesGeoJson(estate), null, 2)}\n` },
  "dependencies.graphml": { type: "application/xml", write: (estate: Estate) => writeGraphml(graphOf(estate)) },
  "dependencies.dot": { type: "text/vnd.graphviz", write: (estate: Estate) => writeDot(graphOf(estate)) },
  "estate.json": { type: "application/json", write: writeEstateJson },
} as const;

/** The estate as a file to take away. */
export async function loader({ request, params, context }: Route.LoaderArgs) {
  return load(context, request, async (who) => {
    const form = FORMS[params.form as keyof typeof FORMS] as (typeof FORMS)[keyof typeof FORMS] | undefined;
    const estate = form && (await loadEstate(context.app.connection.db, who.organisationId));
    if (!estate) throw new Response("There is no such file", { status: 404 });
    return new Response(form.write(estate), { headers: { "content-type": `${form.type}; charset=utf-8`, "content-disposition": `attachment; filename="${who.organisationId}.${params.form}"` } });
  });
}
