import { redirect } from "react-router";
import type { InferType } from "yup";
import { SECURITY_OBJECTIVES, type SecurityCategory } from "#core/estate/model.ts";
import { readCheckLines, readContactLines, readHoursLines, readImpactLines } from "#formats/estate/service-lines.ts";
import { keepCheckAccount, type RawService, removeService, tryService, writeService } from "#server/acts/services.ts";
import { loadEstate } from "#server/db/queries/estate.ts";
import type { Application } from "#server/application.ts";
import { CannotError, mustAct, type Person } from "#server/people/roles.ts";
import { countWords } from "#core/wording/amounts.ts";
import { type FormResult, readForm } from "../../../ui/form-result.ts";
import { accountForm, removeForm, serviceForm } from "./forms.ts";

/** Describes, removes or tries a service, or keeps the account of its sign-in checks. */
export async function actOnService(app: Application, person: Person, form: FormData): Promise<FormResult | Response> {
  mustAct(person);
  const context = { app, person };
  const act = form.get("act");
  switch (act) {
    case "describe":
    case "add": {
      const read = readForm(serviceForm, form);
      if ("wrong" in read) return read.wrong;
      const { id, base, reason } = read.values;
      const estate = await loadEstate(app.connection.db, person.organisationId);
      const dependsOn = estate?.services.find((s) => s.id === id)?.dependsOn ?? [];
      await writeService(context, rawOf(read.values, dependsOn), act === "add", base, reason);
      return act === "add" ? redirect(`/estate/services/${id}`) : { done: "The service is described as written." };
    }
    case "remove": {
      const read = readForm(removeForm, form);
      if ("wrong" in read) return read.wrong;
      await removeService(context, read.values.id, read.values.base, read.values.reason);
      return redirect("/estate?show=services");
    }
    case "try": {
      const trials = await tryService(context, String(form.get("id")));
      const bad = trials.filter((t) => !t.good).length;
      return { done: bad === 0 ? `${countWords(trials.length, "check")} tried, all good.` : `${countWords(trials.length, "check")} tried, ${bad} not good.` };
    }
    case "account": {
      const read = readForm(accountForm, form);
      if ("wrong" in read) return read.wrong;
      await keepCheckAccount(context, read.values.id, { name: read.values.account, password: read.values.password });
      return { done: "The account is kept, sealed." };
    }
    default:
      throw new CannotError("The page asked for something that is not known; load it anew");
  }
}

/** What was typed as the estate file writes it; dependencies stay as they are. */
function rawOf(v: InferType<typeof serviceForm>, dependsOn: NonNullable<RawService["dependsOn"]>): RawService {
  const given = SECURITY_OBJECTIVES.filter((o) => v[o] !== "");
  if (given.length > 0 && given.length < SECURITY_OBJECTIVES.length) throw new CannotError("A FIPS 199 category states confidentiality, integrity and availability together; state all three or none");
  const optional = <K extends string, T>(key: K, value: T | undefined | ""): { [P in K]?: T } => (value === undefined || value === "" ? {} : ({ [key]: value } as { [P in K]?: T }));
  return {
    id: v.id,
    name: v.name,
    tier: v.tier as RawService["tier"],
    owner: v.owner,
    rto: v.rto,
    rpo: v.rpo,
    ...optional("mtd", v.mtd),
    ...optional("wrt", v.wrt),
    machines: v.machines.split(/[\s,]+/).filter(Boolean),
    dependsOn,
    ...optional("startOrder", v.startOrder),
    serviceName: v.serviceName,
    checks: readCheckLines(v.checks),
    tell: v.tell,
    impact: readImpactLines(v.impact),
    ...(given.length > 0 ? { category: Object.fromEntries(given.map((o) => [o, v[o]])) as SecurityCategory } : {}),
    hours: readHoursLines(v.hours),
    contacts: readContactLines(v.contacts),
    ...optional("copiesIn", v.copiesIn ? v.copiesIn.split(/[\s,]+/) : undefined),
  };
}
