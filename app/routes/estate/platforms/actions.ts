import { countWords } from "#core/wording/amounts.ts";
import type { Application } from "#server/application.ts";
import { askForDiscovery, connectPlatform, forgetPlatform, leaveFindings, takeInFindings, tryPlatform } from "#server/acts/platforms.ts";
import { CannotError, type Person } from "#server/people/roles.ts";
import type { ManagerAccess } from "#server/platforms/manager.ts";
import { type FormResult, readForm } from "../../../ui/form-result.ts";
import { decideForm, imageFolderForm, managerForm } from "./forms.ts";

export type PlatformResult = FormResult | { confirm: string };

/** Carries out what a form about platforms asks for. */
export async function actOnPlatforms(app: Application, person: Person, form: FormData): Promise<PlatformResult> {
  const context = { app, person };
  const platform = String(form.get("platform") ?? "");
  switch (form.get("act")) {
    case "connect": {
      const read = readForm(managerForm, form);
      if ("wrong" in read) return read.wrong;
      const { id, site, reason, address, account, password, fingerprint } = read.values;
      return connected(context, { id, site, reason, access: { kind: "manager", address, account, password, fingerprint } });
    }
    case "connect-folder": {
      const read = readForm(imageFolderForm, form);
      if ("wrong" in read) return read.wrong;
      const { id, reason, path, host } = read.values;
      return connected(context, { id, site: "", reason, access: { kind: "image-folder", path, host } });
    }
    case "try": {
      const trials = await tryPlatform(context, platform);
      const wrong = trials.filter((t) => t.outcome === "wrong");
      return { done: wrong.length === 0 ? "Tried: everything is as it should be." : `Tried: ${wrong.map((t) => t.words).join("; ")}.` };
    }
    case "discover":
      await askForDiscovery(context, platform);
      return { done: "Being discovered." };
    case "forget":
      await forgetPlatform(context, platform);
      return { done: `${platform} is forgotten.` };
    case "take":
    case "leave": {
      const read = readForm(decideForm, form);
      if ("wrong" in read) return read.wrong;
      const keys = String(form.get("findings") ?? "").split(" ").filter(Boolean);
      const { reason } = read.values;
      if (form.get("act") === "leave") return { done: `${countWords((await leaveFindings(context, { platform, keys, reason })).left, "finding")} left as they are.` };
      const { changed } = await takeInFindings(context, { platform, keys, base: Number(form.get("base")), reason });
      return { done: `${countWords(changed, "item")} of the estate changed.` };
    }
    default:
      throw new CannotError("The page asked for something that is not known; load it anew");
  }
}

async function connected(context: { app: Application; person: Person }, asked: { id: string; site: string; reason: string; access: ManagerAccess }): Promise<PlatformResult> {
  const result = await connectPlatform(context, asked);
  if ("confirm" in result) return result;
  const wrong = result.connected.find((t) => t.outcome === "wrong");
  return { done: `${asked.id} is connected${wrong ? `, but ${wrong.words}` : ""}. Discover it to see what runs there.` };
}
