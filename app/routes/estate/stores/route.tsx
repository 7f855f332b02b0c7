import { redirect } from "react-router";
import { reachStore, tryStore } from "#server/acts/stores.ts";
import { CannotError, mustAct } from "#server/people/roles.ts";
import { type AnnouncedStore, announcedStores } from "#server/stores/announced.ts";
import { perform } from "../../../context.ts";
import { type FormResult, readForm } from "../../../ui/form-result.ts";
import type { Route } from "./+types/route";
import { bucketStoreForm, folderStoreForm } from "./forms.ts";

export type StoreResult = FormResult | { offers: AnnouncedStore[] };

/** Where every form about stores is sent; they are shown as a part of the estate's page. */
export const loader = (): Response => redirect("/estate?show=stores");

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (person): Promise<StoreResult> => {
    const form = await request.formData();
    const acting = { app: context.app, person };
    switch (form.get("act")) {
      case "try": {
        const wrong = (await tryStore(acting, String(form.get("store")))).find((s) => s.outcome === "wrong");
        return { done: wrong ? `Tried: ${wrong.words}.` : "Tried: everything is as it should be." };
      }
      case "look":
        mustAct(person);
        return { offers: await announcedStores(process.env["DNS_SD_NETWORK"]) };
      case "reach-folder": {
        const read = readForm(folderStoreForm, form);
        if ("wrong" in read) return read.wrong;
        await reachStore(acting, { store: read.values.store, access: { kind: "folder", path: read.values.path }, reason: read.values.reason });
        return { done: "Tried, and reached there from now on." };
      }
      case "reach-bucket": {
        const read = readForm(bucketStoreForm, form);
        if ("wrong" in read) return read.wrong;
        const { store, reason, endpoint, region, bucket, prefix, accessKeyId, secretAccessKey } = read.values;
        await reachStore(acting, { store, access: { kind: "bucket", endpoint, region, bucket, ...(prefix ? { prefix } : {}), accessKeyId, secretAccessKey }, reason });
        return { done: "Tried, and reached there from now on." };
      }
      default:
        throw new CannotError("The page asked for something that is not known; load it anew");
    }
  });
}
