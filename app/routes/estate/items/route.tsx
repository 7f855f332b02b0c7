import { redirect } from "react-router";
import type { WrittenKind } from "#formats/estate/written-item.ts";
import { removeItem, writeItem } from "#server/acts/items.ts";
import { CannotError } from "#server/people/roles.ts";
import { perform } from "../../../context.ts";
import { type FormResult, readForm } from "../../../ui/form-result.ts";
import { orUnanswered } from "../../../ui/or-unanswered.ts";
import type { Route } from "./+types/route";
import { takeOutForm, writeForm } from "./forms.ts";

/** Where items are written to; looked at, it is the estate. */
export const loader = () => redirect("/estate");

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (person): Promise<FormResult> => {
    const form = await request.formData();
    const read = readForm(form.get("act") === "take-out" ? takeOutForm : writeForm, form);
    if ("wrong" in read) return read.wrong;
    const { kind, id, base, reason } = read.values;
    const change = { kind: kind as WrittenKind, base, reason };
    switch (form.get("act")) {
      case "write":
        return { done: `${await writeItem({ app: context.app, person }, { ...change, id: id || null }, String(form.get("text")))} is as it is written.` };
      case "take-out":
        await removeItem({ app: context.app, person }, { ...change, id });
        return { done: `${id} is taken out.` };
      default:
        throw new CannotError("The page asked for something that is not known; load it anew");
    }
  });
}
export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(() => serverAction());
