import { type APIRequestContext, expect, test } from "@playwright/test";
import routes from "../app/routes.ts";
import { address, go, hydrated, secrets, signIn } from "./visit.ts";

type Entry = { path?: string; index?: boolean; children?: Entry[] };
const pathsOf = (entries: readonly Entry[], above = ""): string[] => entries.flatMap((e) => [...(e.path !== undefined ? [`${above}/${e.path}`] : e.index ? [above || "/"] : []), ...pathsOf(e.children ?? [], e.path ? `${above}/${e.path}` : above)]);

/** Ids of the first customer in place of every parameter; a route with another parameter fails the test until it has one here. */
let first: Record<string, string>;
function filled(path: string): string {
  return path.replaceAll(/:([a-z]+)/g, (_all, name: string) => {
    const sample = first[name];
    if (sample === undefined) throw new Error(`there is no sample for :${name} of ${path}; add one`);
    return sample;
  });
}

/** Words that only the first customer's estate, copies and runs could have brought. */
const FIRST = /Tern (Quay|Sound)|Gannet|Petrel|gate-control|ticket-sandbox|skerry-quay|quay-disks|Boarding|dockyard|1 min 35 s/;
/** The coordinator serves the second customer too, so its name alone may stand in the menu. */
const SECOND = /kr-(charters|files|disks)|Charter (office|host|bookings)/;

/** Everything that a route gives, as a page and as the data behind it, without what was asked for. */
async function everything(request: APIRequestContext, path: string): Promise<string> {
  const asked = filled(path);
  const texts: string[] = [];
  for (const at of [`${asked === "/" ? "/_root" : asked}.data`, `${asked}?machine=gate-control-1&service=gates&item=tern-quay&lost=tern-quay&show=machines`, `${asked}?show=stores&item=quay-disks`, `${asked}?text=gate`]) {
    const reply = await request.get(address(at), { maxRedirects: 0 });
    texts.push(await reply.text());
  }
  // What stood in the address may come back as the address.
  return texts.join("\n").replaceAll(/(gate-control-1|tern-quay|quay-disks|booking-db|skerry-quay)(?=[&"\\,.]|$)/g, "");
}

test("nothing of one customer reaches another's people, by any route", async ({ page, browser }) => {
  await signIn(page, "coordinator", "/records");
  const run = (await page.getByRole("link", { name: /^Rehearsal/ }).first().getAttribute("href"))?.split("/")[2]?.split("?")[0] ?? "00000000-0000-4000-8000-000000000000";
  first = { machine: "booking-db", platform: "skerry-quay", form: "estate.yaml", service: "booking", run };
  const other = await browser.newPage();
  const skipper = secrets().signIns.find((s) => s.name === "skipper")!;
  await other.goto(address("/sign-in"));
  await other.getByLabel("Name").fill(skipper.name);
  await other.getByLabel("Password").fill(skipper.password);
  await other.getByRole("button", { name: "Sign in" }).click();
  await hydrated(other);
  await expect(other.getByRole("heading", { level: 1 })).toHaveText(/^If Charter office were lost now, \d of 2 services/);
  const paths = pathsOf(routes as Entry[]);
  expect(paths.length).toBeGreaterThan(14);
  // What is looked for would be found where it belongs.
  expect(await everything(page.request, "/estate")).toMatch(FIRST);
  expect(await everything(other.request, "/estate")).toMatch(SECOND);
  for (const path of paths) {
    expect(await everything(other.request, path), path).not.toMatch(FIRST);
    expect(await everything(page.request, path), path).not.toMatch(SECOND);
  }
  // Acts that name the other's things find none of them.
  const acts: [string, Record<string, string>][] = [
    ["/copies", { act: "copy-now", policy: "hourly", machines: "names-1", reason: "not mine" }],
    ["/copies", { act: "schedule", policy: "hourly", running: "no" }],
    ["/copies", { act: "stop", work: first["run"]! }],
    ["/estate/platforms", { act: "discover", platform: "skerry-quay" }],
    ["/estate/platforms", { act: "forget", platform: "skerry-quay" }],
    ["/estate/stores", { act: "try", store: "quay-disks" }],
    ["/estate/stores", { act: "reach-folder", store: "quay-disks", path: "/tmp", reason: "not mine" }],
    ["/estate/services", { act: "try", id: "booking" }],
    ["/estate/services", { act: "remove", id: "booking", name: "x", typed: "x", base: "0", reason: "not mine" }],
    ["/estate/dependencies", { act: "dependency", service: "booking", needs: "payments", strength: "hard", base: "0", reason: "not mine" }],
    ["/estate/items", { act: "take-out", kind: "groups", id: "booking-whole", base: "0", reason: "not mine" }],
    ["/estate/proposals", { act: "accept", keys: "missing/booking/payments", base: "0", reason: "not mine" }],
    ["/estate/setup", { act: "try-all" }],
    ["/serve", { organisation: "tern-sound" }],
  ];
  for (const [path, form] of acts) {
    const reply = await (await other.request.post(address(`${path}.data`), { form, headers: { origin: address() } })).text();
    expect(reply, path + JSON.stringify(form)).toContain("error");
    expect(reply, path + JSON.stringify(form)).not.toMatch(FIRST);
  }
  await other.close();
  await go(page, "/records");
  await expect(page.getByRole("region", { name: /^Audit trail/ })).not.toContainText("not mine");
});

test("who serves two sees one at a time, its name in sight, and changes between them", async ({ page }) => {
  await signIn(page, "coordinator");
  const menu = page.getByRole("button", { name: /R. Coordinator/ });
  await expect(menu).toContainText("Tern Sound Ferries");
  await menu.click();
  await page.getByRole("menuitem", { name: "Kelp Row Charters" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^If Charter office were lost/);
  await expect(menu).toContainText("Kelp Row Charters");
  await hydrated(page);
  await expect(page.getByText("Tern", { exact: false })).toHaveCount(0);
  await menu.click();
  await page.getByRole("menuitem", { name: "Tern Sound Ferries" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^If Tern Quay were lost/);
  await expect(page.getByText("Charter", { exact: false })).toHaveCount(0);
});
