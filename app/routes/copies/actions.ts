import type { Application } from "#server/application.ts";
import { bringBackNow, copyNow, dropWork, goOn, protectNow, setSchedule, stopWork } from "#server/acts/copies.ts";
import { CannotError, type Person } from "#server/people/roles.ts";
import { countWords, listWords } from "#core/wording/amounts.ts";
import { type FormResult, readForm } from "../../ui/form-result.ts";
import { bringBackForm, copyNowForm, protectForm } from "./forms.ts";

/** Carries out what a form of the page asks for. */
export async function actOnCopies(app: Application, person: Person, form: FormData): Promise<FormResult> {
  const context = { app, person };
  const text = (key: string): string => String(form.get(key) ?? "");
  switch (form.get("act")) {
    case "copy-now": {
      const read = readForm(copyNowForm, form);
      if ("wrong" in read) return read.wrong;
      const { machines, ...rest } = read.values;
      const { asked, stillRunning } = await copyNow(context, machines.includes("*") ? rest : { machines, ...rest });
      const left = stillRunning.length > 0 ? ` ${listWords(stillRunning)} left out: an earlier copy is still under way or stopped.` : "";
      return { done: `${countWords(asked.length, "machine")} being copied.${left}` };
    }
    case "stop":
      await stopWork(context, text("work"));
      return { done: "Stopping at the end of the slice." };
    case "go-on":
      await goOn(context, text("work"));
      return { done: "Going on behind what has arrived." };
    case "drop":
      await dropWork(context, text("work"));
      return { done: "Dropped; what has arrived stays." };
    case "schedule":
      await setSchedule(context, { policy: text("policy"), running: text("running") === "yes" });
      return { done: text("running") === "yes" ? "The schedule is running." : "The schedule is stopped." };
    case "protect": {
      const read = readForm(protectForm, form);
      if ("wrong" in read) return read.wrong;
      const { name, path, stores, reason } = read.values;
      await protectNow(context, { name, path, storeIds: stores, reason });
      return { done: `${name} is being protected.` };
    }
    case "bring-back": {
      const read = readForm(bringBackForm, form);
      if ("wrong" in read) return read.wrong;
      await bringBackNow(context, read.values);
      return { done: `${read.values.name} is being brought back to ${read.values.to}.` };
    }
    default:
      throw new CannotError("The page asked for something that is not known; load it anew");
  }
}
