import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, type Page } from "@playwright/test";
import axe from "axe-core";
import type { FolderSecrets } from "../scripts/data-folder.ts";
import { demoPid } from "./installation.ts";

export const data = (): string => process.env["E2E_DATA"]!;
export const secrets = (): FolderSecrets => JSON.parse(readFileSync(join(data(), "secrets.json"), "utf8")) as FolderSecrets;
export const address = (path = ""): string => `http://127.0.0.1:${secrets().webPort}${path}`;

/** Waits until scripts have taken the page over. */
export const hydrated = (page: Page): Promise<unknown> => page.waitForSelector("[data-hydrated]", { timeout: 45_000 });

export async function signIn(page: Page, role: "coordinator" | "observer", to = "/"): Promise<void> {
  const person = secrets().signIns.find((s) => s.role === role)!;
  await page.goto(address(to));
  await page.getByLabel("Name").fill(person.name);
  await page.getByLabel("Password").fill(person.password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await hydrated(page);
}

export async function go(page: Page, path: string): Promise<void> {
  await page.goto(address(path));
  await hydrated(page);
}

/** Leaves only the given services chosen for a rehearsal. */
export async function chooseServices(page: Page, ids: readonly string[]): Promise<void> {
  const boxes = page.getByRole("group", { name: "Services" }).getByRole("checkbox");
  const chosen = (): Promise<string[]> => boxes.evaluateAll((all) => (all as HTMLInputElement[]).filter((b) => b.checked).map((b) => b.value));
  const before = await chosen();
  for (const id of before) if (!ids.includes(id)) await page.locator(`input[name=services][value=${id}]`).uncheck();
  // However fast they were made, every choice stands once the page has answered the last.
  const left = before.filter((id) => ids.includes(id));
  await page.waitForURL((url) => url.searchParams.getAll("service").sort().join() === [...left].sort().join());
  expect(await chosen()).toEqual(left);
}

/** Sets the pace of model time on the strip. */
export async function setPace(page: Page, words: string): Promise<void> {
  await page.getByRole("button", { name: /^Pace of model time/ }).click();
  await page.getByRole("menuitemradio", { name: words }).click();
  await expect(page.getByRole("button", { name: new RegExp(`^Pace of model time: .*${words}`) })).toBeVisible();
}

/** WCAG 2.2 A and AA by axe-core, the page as it stands. */
export async function expectAccessible(page: Page): Promise<void> {
  await page.evaluate(axe.source);
  const found = await page.evaluate(async () => {
    const { violations } = await (window as unknown as { axe: typeof axe }).axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"] });
    return violations.map((v) => `${v.id}: ${v.nodes.slice(0, 3).map((n) => `${n.target.join(" ")} ${n.failureSummary ?? ""}`).join(" | ")}`);
  });
  expect(found).toEqual([]);
}

/** Pids of the demo's own processes that run a given file. */
export function demoProcesses(file: string): number[] {
  const parent = demoPid(data());
  return readdirSync("/proc")
    .filter((name) => /^\d+$/.test(name))
    .map(Number)
    .filter((pid) => {
      try {
        const stat = readFileSync(`/proc/${pid}/stat`, "utf8");
        return Number(stat.slice(stat.lastIndexOf(")") + 2).split(" ")[1]) === parent && readFileSync(`/proc/${pid}/cmdline`, "utf8").includes(file);
      } catch {
        return false;
      }
    });
}
