import { expect, test } from "@playwright/test";
import { startCluster, stopCluster } from "../scripts/postgres.ts";
import { ready, startDemo, stopDemo } from "./installation.ts";
import { address, chooseServices, data, demoProcesses, go, setPace, signIn } from "./visit.ts";

test.describe.configure({ mode: "serial", timeout: 120_000 });

const settle = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));

test("a run goes on where it was after kill -9 of the server, and the page follows again", async ({ page }) => {
  await signIn(page, "coordinator", "/rehearsals");
  await chooseServices(page, ["names", "identity", "gates"]);
  await page.getByLabel("Why").fill("through a kill");
  await page.getByRole("button", { name: "Begin the rehearsal" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^Run \d+: rehearsal of Tern Quay lost/);
  await expect(page.getByRole("status").filter({ hasText: /[1-9]\d* of \d+ steps done/ })).toBeVisible({ timeout: 20_000 });
  const [server] = demoProcesses("server/main.ts");
  process.kill(server!, "SIGKILL");
  await expect.poll(() => demoProcesses("server/main.ts").filter((pid) => pid !== server).length, { timeout: 15_000 }).toBe(1);
  await expect.poll(() => page.request.get(address("/sign-in")).then((r) => r.status(), () => 0), { timeout: 15_000 }).toBe(200);
  await setPace(page, "from event to event");
  await expect(page.getByRole("status").filter({ hasText: /All 3 services answered from inside the enclave/ })).toBeVisible({ timeout: 90_000 });
  await setPace(page, "hurried while something is awaited");
});

test("without its database the pages say so in a sentence, and go on by themselves when it is back", async ({ page }) => {
  await signIn(page, "coordinator");
  const cluster = await startCluster(data());
  stopCluster(cluster, "immediate");
  await page.goto(address("/copies"));
  await expect(page.getByRole("status")).toContainText("The database does not answer. Nothing that was acknowledged is lost; work waits and goes on when it is back.");
  await startCluster(data());
  await expect(page.getByRole("heading", { name: /copy that survives this loss/ })).toBeVisible({ timeout: 20_000 });
});

test("without the stand-in world the pages say so, and it is started again", async ({ page }) => {
  await signIn(page, "coordinator");
  const [world] = demoProcesses("standins/world/main.ts");
  process.kill(world!, "SIGSTOP");
  process.kill(world!, "SIGKILL");
  await expect.poll(() => demoProcesses("standins/world/main.ts").filter((pid) => pid !== world).length, { timeout: 15_000 }).toBe(1);
  await settle(500);
  await go(page, "/");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^If Tern Quay were lost now/);
});

test("Ctrl+C stops everything in the middle of a copy, the second start takes seconds and the copy goes on", async ({ page }) => {
  await signIn(page, "coordinator", "/copies");
  // At the wall's pace it is surely in the middle.
  await setPace(page, "the wall's pace");
  await page.getByRole("button", { name: "Copy now" }).click();
  await page.getByRole("menuitem", { name: "Sailing day, hourly" }).click();
  const dialog = page.getByRole("dialog", { name: "Copy now" });
  await dialog.getByRole("button", { name: "none", exact: true }).click();
  for (const machine of ["names-1", "ident-1", "gate-control-1"]) await dialog.getByLabel(machine).check();
  await dialog.getByLabel("Why").fill("through a restart");
  await dialog.getByRole("button", { name: "Copy 3 machines" }).click();
  await expect(page.getByTestId("running")).toBeVisible();
  await stopDemo(data());
  await expect.poll(() => page.getByText("The server does not answer").count(), { timeout: 10_000 }).toBe(1);
  const began = Date.now();
  await ready(startDemo(data()));
  expect(Date.now() - began).toBeLessThan(30_000);
  // The sign-in outlasts the restart.
  await go(page, "/copies");
  // A scheduled round may have begun behind it, which nobody awaits.
  await setPace(page, "from event to event");
  await expect(page.getByTestId("running")).toHaveCount(0, { timeout: 60_000 });
  await setPace(page, "hurried while something is awaited");
  await expect(page.getByRole("heading", { name: /copy that survives this loss/ })).toBeVisible();
});

test("kill -9 of the whole demo leaves the database running, and the next start adopts it", async ({ page }) => {
  await stopDemo(data(), "SIGKILL");
  // Its children notice and end.
  await settle(1_500);
  await ready(startDemo(data()));
  await signIn(page, "coordinator");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^If Tern Quay were lost now/);
});
