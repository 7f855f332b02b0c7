import { redirect } from "react-router";
import { countWords } from "#core/wording/amounts.ts";
import { acceptProposals, dismissProposals } from "#server/acts/dependencies.ts";
import { CannotError } from "#server/people/roles.ts";
import { perform } from "../../../context.ts";
import { type FormResult, readForm } from "../../../ui/form-result.ts";
import { orUnanswered } from "../../../ui/or-unanswered.ts";
import type { Route } from "./+types/route";
import { answerForm } from "./forms.ts";

/** Where answers to proposals go; looked at, it is the list of them. */
export const loader = () => redirect("/estate?show=connections");

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (person): Promise<FormResult> => {
    const form = await request.formData();
    const read = readForm(answerForm, form);
    if ("wrong" in read) return read.wrong;
    const { keys, into, base, reason } = read.values;
    const answering = { keys: keys.split(" "), base, reason, ...(into ? { into } : {}) };
    switch (form.get("act")) {
      case "accept":
        return { done: `${countWords((await acceptProposals({ app: context.app, person }, answering)).changed, "service")} changed.` };
      case "dismiss":
        return { done: `${countWords((await dismissProposals({ app: context.app, person }, answering)).dismissed, "proposal")} dismissed.` };
      default:
        throw new CannotError("The page asked for something that is not known; load it anew");
    }
  });
}
export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(() => serverAction());
