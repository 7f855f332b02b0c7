import { object, string } from "yup";
import type { Application } from "#server/application.ts";
import { goOn, stopWork } from "#server/acts/copies.ts";
import { confirmData, releaseEnclave, tickStep } from "#server/acts/runs.ts";
import { CannotError, type Person } from "#server/people/roles.ts";
import { type FormResult, readForm } from "../ui/form-result.ts";
import { confirmForm } from "./forms.ts";

const runOf = object({ run: string().uuid("That is no run.").required() });

/** Carries out what the forms around a run ask for. */
export async function actOnRun(app: Application, person: Person, form: FormData): Promise<FormResult> {
  const context = { app, person };
  const read = readForm(runOf, form);
  if ("wrong" in read) return read.wrong;
  const { run } = read.values;
  switch (form.get("act")) {
    case "tick":
      await tickStep(context, { run, step: String(form.get("step") ?? "") });
      return { done: "Ticked." };
    case "release":
      await releaseEnclave(context, run);
      return { done: "The enclave is discarded; the record stays." };
    case "stop":
      await stopWork(context, run);
      return { done: "The run is being stopped." };
    case "go-on":
      await goOn(context, run);
      return { done: "The run goes on where it was." };
    case "confirm": {
      const confirmed = readForm(confirmForm, form);
      if ("wrong" in confirmed) return confirmed.wrong;
      await confirmData(context, { run, service: confirmed.values.service, byWhom: confirmed.values.byWhom });
      return { done: "Noted." };
    }
    default:
      throw new CannotError("The page asked for something that is not known; load it anew");
  }
}
