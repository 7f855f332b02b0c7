import { object, string } from "yup";
import { setPace } from "#server/acts/pace.ts";
import { CannotError } from "#server/people/roles.ts";
import { perform } from "../context.ts";
import { orUnanswered } from "../ui/or-unanswered.ts";
import type { Route } from "./+types/pace";

const HURRIED_FACTOR = 60;
const MODES = ["wall", "hurried", "always-hurried", "events"] as const;
const schema = object({ mode: string().oneOf(MODES).required() });

export async function action({ request, context }: Route.ActionArgs) {
  return perform(context, request, async (person) => {
    const form = Object.fromEntries(await request.formData());
    const mode = await schema.validate(form).then(
      (v) => v.mode,
      () => undefined,
    );
    if (!mode) throw new CannotError(`A pace is one of ${MODES.join(", ")}`);
    await setPace({ app: context.app, person }, { mode, factor: HURRIED_FACTOR });
    return { ok: true };
  });
}

export const clientAction = ({ serverAction }: Route.ClientActionArgs) => orUnanswered(serverAction);
