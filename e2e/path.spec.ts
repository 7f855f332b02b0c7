import { execFileSync } from "node:child_process";
import { mkdirSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { address, chooseServices, data, expectAccessible, go, hydrated, secrets, setPace, signIn } from "./visit.ts";

/** The whole path, as a new person would walk it; each part goes on where the one before ended. */
test.describe.configure({ mode: "serial" });

let page: Page;
const problems: string[] = [];
test.beforeAll(async ({ browser }) => {
  page = await browser.newPage();
  page.on("pageerror", (error) => problems.push(error.message));
  page.on("console", (message) => message.type() === "error" && problems.push(message.text()));
});
test.afterAll(() => page.close());
test.afterEach(() => expect(problems.splice(0)).toEqual([]));

const row = (name: string) => page.getByRole("main", { name: "Readiness" }).getByRole("link", { name: new RegExp(`^${name}`) });
/** Figures of a service's row in the table behind the ruler. */
async function figures(service: string): Promise<string[]> {
  await page.evaluate(() => document.querySelectorAll("details").forEach((d) => (d.open = true)));
  const cells = page.getByRole("row", { name: new RegExp(`^${service} `) }).getByRole("cell");
  return cells.allInnerTexts();
}

async function copyNow(policy: string): Promise<void> {
  await page.getByRole("button", { name: "Copy now" }).click();
  await page.getByRole("menuitem", { name: policy }).click();
}

test("sign in: a wrong password keeps the name and says what is wrong; the right one leads on", async () => {
  await page.goto(address("/copies"));
  await expect(page).toHaveURL(/sign-in\?to=%2Fcopies/);
  await page.getByLabel("Name").fill("coordinator");
  await page.getByLabel("Password").fill("guess");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("alert")).toContainText("do not fit together");
  await expect(page.getByLabel("Name")).toHaveValue("coordinator");
  problems.length = 0;
  await expectAccessible(page);
  await signIn(page, "coordinator", "/copies");
  await expect(page).toHaveURL(address("/copies"));
});

test("readiness: rulers by tier, a verdict in a sentence each, and why", async () => {
  await go(page, "/");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^If Tern Quay were lost now, \d+ of 17 services would keep their targets\.$/);
  for (const tier of [1, 2, 3, 4]) await expect(page.getByRole("region", { name: `Tier ${tier}` })).toBeVisible();
  await expect(row("Data warehouse")).toContainText("cannot return: warehouse-1 needs 48 cores and no surviving host has more than 40");
  await expect(row("Boarding gates")).toContainText(/loses .* too much/);
  await row("Boarding gates").click();
  const inspector = page.getByRole("complementary");
  await expect(inspector).toContainText("declared (assumed 4 min)");
  await expect(inspector).toContainText("coordinator ready (assumed 4 min)");
  await expect(inspector).toContainText("What decides it");
  await expect(page).toHaveURL(/service=gates/);
  await expectAccessible(page);
});

test("the needle: dragged, by keyboard and by typing, lives in the address and the figures follow", async () => {
  await go(page, "/");
  const needle = page.getByRole("slider", { name: "Strike" });
  await expect(needle).toHaveAttribute("aria-valuetext", /^Strikes now, .* Tern Quay is lost$/);
  const lossNow = (await figures("Booking and fares"))[0];
  const box = (await page.getByRole("region", { name: "Time" }).boundingBox())!;
  const x = box.x + (box.width - 272) * 0.577;
  await page.mouse.move(x, box.y + 40);
  await page.mouse.down();
  for (let i = 1; i <= 8; i++) await page.mouse.move(x - i * 5, box.y + 40);
  await page.mouse.up();
  await expect(page).toHaveURL(/at=2026-/);
  await expect(needle).toHaveAttribute("aria-valuetext", /^Struck /);
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^Had Tern Quay been lost then/);
  // By keyboard: an hour on, then home to now.
  await needle.focus();
  const before = new URL(page.url()).searchParams.get("at")!;
  await page.keyboard.press("Shift+ArrowRight");
  await expect.poll(() => Date.parse(new URL(page.url()).searchParams.get("at") ?? "") - Date.parse(before)).toBe(3_600_000);
  await page.keyboard.press("Home");
  await expect(page).not.toHaveURL(/at=/);
  // Before anything was ever copied nothing can return; two days ahead the schedule counts.
  await go(page, "/?at=2026-11-17T11:00Z");
  await expect(row("Booking and fares")).toContainText("had never been copied by then");
  await go(page, "/?at=2026-11-19T15:50Z");
  await expect(page.getByRole("note")).toContainText(/copies are assumed to arrive by the schedule|reaches two days ahead/);
  expect((await figures("Booking and fares"))[0]).not.toBe(lossNow);
  // By typing.
  await page.getByRole("button", { name: /is lost$/ }).click();
  await page.getByLabel("The outage strikes at").fill("2026-11-18T11:30");
  await page.getByRole("button", { name: "Set the needle" }).click();
  await expect(page).toHaveURL(/at=2026-11-18T09%3A30Z/);
});

test("what is lost: another site, several things, in the address; what is unknown is told", async () => {
  await go(page, "/");
  await page.keyboard.press("l");
  await page.getByLabel(/^Gannet Yard/).first().check();
  await page.getByLabel(/^Tern Quay/).first().uncheck();
  await page.keyboard.press("Escape");
  await expect(page).toHaveURL(/lost=gannet-yard/);
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^If Gannet Yard were lost now/);
  await expect(row("Boarding gates")).toContainText("stays up");
  await expect(row("Terminal radio archive")).not.toContainText("stays up");
  await go(page, "/?lost=petrel-stone&lost=yard-disks&at=whenever&lost=atlantis");
  await expect(page.getByText("“whenever” is no instant")).toBeVisible();
  await expect(page.getByText("no site, hazard, host, store or link “atlantis”")).toBeVisible();
  await expect(row("Vessel positions")).not.toContainText("stays up");
});

test("command search reaches a service by typing, keys are listed, themes switch", async () => {
  await go(page, "/");
  await page.keyboard.press("Control+k");
  await page.getByRole("combobox", { name: "Find or do" }).fill("payroll");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("complementary").getByRole("heading", { name: /Payroll|payroll-1/ })).toBeVisible();
  await go(page, "/");
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "Keys" })).toBeVisible();
  await page.keyboard.press("Escape");
  const ground = () => page.evaluate(() => getComputedStyle(document.documentElement).backgroundColor);
  const day = await ground();
  await page.keyboard.press("t");
  expect(await ground()).not.toBe(day);
  await expectAccessible(page);
  await page.keyboard.press("t");
});

test("estate: what stands where and would go with it, lists by filter and order, files out and in", async () => {
  await page.getByRole("link", { name: "Estate" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^5 sites, 30 machines, 17 services$/);
  await page.getByRole("link", { name: /^Gannet Yard: server room, 38 km from Tern Quay, / }).click();
  const beside = page.getByRole("complementary");
  await expect(beside).toContainText(/With it would go.*Terminal radio archive.*Gannet Yard disks.*all of them also whole elsewhere/s);
  await expect(beside).toContainText(/No host there is large enough for warehouse-1/);
  await expectAccessible(page);
  await page.getByRole("link", { name: /shared by 2 sites/ }).click();
  await expect(beside.getByRole("heading", { name: "the sea cable" })).toBeVisible();
  await beside.getByRole("link", { name: "See it lost on the map" }).click();
  await expect(page.getByRole("link", { name: /^Petrel Stone: .*lost at the needle$/ })).toBeVisible();
  await go(page, "/estate");
  await page.getByRole("navigation", { name: "Parts of the estate" }).getByRole("link", { name: "machines" }).click();
  await page.getByLabel("Filter").fill("yard payroll");
  await expect(page.getByText("No row has all these words.")).toBeVisible();
  await page.getByLabel("Filter").fill("booking");
  await page.getByRole("button", { name: "Disks" }).click();
  await page.getByRole("button", { name: "Disks" }).click();
  await expect(page).toHaveURL(/filter=booking.*sort=-disks/);
  await expect(page.getByRole("row").nth(1)).toContainText("booking-db");
  await expectAccessible(page);
  // Out, changed by hand, and in again: seen first, then accepted.
  const file = await (await page.request.get(address("/estate/file/estate.yaml"))).text();
  const bringIn = async (text: string): Promise<void> => {
    await page.locator("input[type=file]").setInputFiles({ name: "any", mimeType: "text/plain", buffer: Buffer.from(text) });
    await page.getByRole("button", { name: "Show what it would change" }).click();
  };
  await page.getByRole("button", { name: "Bring in" }).click();
  await bringIn(file.replace("host: tq-2", "host: tq-9"));
  await expect(page.getByRole("alert")).toContainText(/line \d+, \/machines\/\S+\/host: there is no host tq-9/);
  await bringIn(file.replace("name: Fulmar West", "name: Fulmar Far West"));
  await expect(page.getByRole("region", { name: "What it would change" })).toContainText("name: Fulmar West → Fulmar Far West");
  await expectAccessible(page);
  await page.getByLabel("Why").fill("the provider renamed it");
  await page.getByRole("button", { name: "Accept 1 change" }).click();
  await expect(page.getByText("1 item changed.")).toBeVisible();
  // A table in the same way: its heads are understood or chosen, its rows are right or named.
  await page.getByRole("button", { name: "Bring in" }).click();
  await page.getByLabel("What it holds").selectOption("machines, CSV");
  await bringIn("hostname;where;cpu\nnames-1;gy-1;many\n");
  await expect(page.getByText("Not found: host, memory and disk size.")).toBeVisible();
  await page.getByLabel("where").selectOption("host");
  await page.getByRole("button", { name: "Show what it would change" }).click();
  await expect(page.getByRole("alert")).toContainText("no column is taken for this, and it is needed");
  await bringIn("hostname;host;cpu;memory;disk size\nnames-1;;many;;\n");
  await expect(page.getByRole("alert")).toContainText("line 2, cpu: \"many\" is no whole number");
  await bringIn("hostname;host;cpu;memory;disk size\nnames-1;;3;;\n");
  await expect(page.getByRole("region", { name: "What it would change" })).toContainText("cores: 2 → 3");
  await expectAccessible(page);
  await page.getByLabel("Why").fill("a core more, by the spreadsheet");
  await page.getByRole("button", { name: "Accept 1 change" }).click();
  await expect(page.getByText("1 item changed.")).toBeVisible();
  await expect(page.getByText(/Last changed .* by R. Coordinator: 1 item, “a core more, by the spreadsheet”/)).toBeVisible();
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByText("1 item changed back.")).toBeVisible();
  await expect(page.getByText(/“undone: a core more, by the spreadsheet”/)).toBeVisible();
  await go(page, "/estate?item=fulmar-west");
  await expect(beside.getByRole("heading", { name: "Fulmar Far West" })).toBeVisible();
});

test("estate: a platform is tried, confirmed and discovered; findings are taken in or left; what is gone stays", async () => {
  await go(page, "/estate?show=platforms");
  const managers = `https://127.0.0.1:${secrets().platformPort}`;
  await page.getByRole("button", { name: "Connect a platform" }).click();
  const dialog = page.getByRole("dialog");
  const connect = () => dialog.getByRole("button", { name: "Try and connect" }).click();
  await connect();
  await expect(dialog).toContainText("Write the address under which it answers.");
  await dialog.getByLabel("Name", { exact: true }).fill("holm-yard");
  await dialog.getByLabel("Site at which").selectOption("Gannet Yard");
  await dialog.getByLabel("Address").fill(`${managers}/holm-yard`);
  await dialog.getByLabel("Account").fill("visitor");
  await dialog.getByLabel("Password").fill(secrets().platformAccounts["visitor"]!.password);
  await dialog.getByLabel("Why").fill("the parts run there");
  await expectAccessible(page);
  await connect();
  await expect(dialog.getByLabel("Fingerprint")).toHaveValue(/^([0-9A-F]{2}:){31}[0-9A-F]{2}$/);
  await connect();
  await expect(dialog.getByRole("alert")).toContainText("the account visitor has no right to inventory");
  await dialog.getByLabel("Account").fill("reader");
  await dialog.getByLabel("Password").fill(secrets().platformAccounts["reader"]!.password);
  await connect();
  await expect(page.getByText("holm-yard is connected.")).toBeVisible();
  // What the demo has discovered already waits to be decided.
  await page.getByRole("link", { name: "skerry-yard" }).click();
  await expect(page.getByRole("region", { name: "What trying it told" })).toContainText("its clock is 3 min 10 s ahead");
  await go(page, "/estate/platforms/skerry-quay");
  const findings = page.getByRole("group", { name: "Findings" });
  await expect(findings).toContainText(/files-office.*changed.*disk shares 1.5 TiB → 2 TiB.*ticket-sandbox.*appeared.*4 cores.*print-1.*is gone/s);
  await expectAccessible(page);
  await findings.getByLabel(/ticket-sandbox/).check();
  await page.getByLabel("Why").fill("only a sandbox");
  await page.getByRole("button", { name: "Leave as it is" }).click();
  await expect(findings).not.toContainText("ticket-sandbox");
  await expect(page.getByText("1 finding left as they are", { exact: true })).toBeVisible();
  await page.getByLabel("all 2").check();
  await page.getByRole("button", { name: "Take 2 findings into the estate" }).click();
  await expect(page.getByText("What runs there is what the estate says, apart from what was left as it is.")).toBeVisible();
  await page.getByRole("button", { name: "Discover now" }).click();
  await expect(page.getByText("20 machines on 3 hosts listed")).toBeVisible({ timeout: 15_000 });
  await go(page, "/estate/machines/print-1");
  await expect(page.getByRole("alert")).toContainText(/Its source is gone .* its points stay/);
  await go(page, "/estate/machines/booking-db");
  await expect(page.getByRole("region", { name: "Where else it could run" })).toContainText(/Yard 1.*yes, as it is.*Yard 3.*no: runs Holm, which takes no machines of Skerry/s);
  await expect(page.getByRole("region", { name: "How much it changes" })).toContainText(/Captures found \d+(\.\d)? GiB an hour/);
  await expectAccessible(page);
});

test("estate: what is wanting is found, a store is tried, many rows are changed and changed back", async () => {
  await go(page, "/estate?show=gaps");
  for (const [head, words] of [
    ["Copies", "chart-1 has no copy away from Tern Quay"],
    ["Places to run", "warehouse-1 could run at no other site"],
    ["Loss that policies cannot keep", "over the line Tern Quay – Petrel Stone"],
    ["Keys", "Passphrase of the archive has a single holder"],
    ["Stores", "to Carried drive crosses a line to Petrel Stone unencrypted"],
    ["Schedules", "accounts-db is captured by 2 policies"],
  ])
    await expect(page.getByRole("region", { name: head! })).toContainText(words!);
  await expectAccessible(page);
  await go(page, "/estate?show=stores&item=north-bucket");
  const beside = page.getByRole("complementary");
  await expect(beside).toContainText(/2 at once, at an assumed 8 MiB\/s.*readable only once the provider declares a disaster.*head of operations/s);
  await beside.getByRole("button", { name: "Try it now" }).click();
  await expect(beside).toContainText(/read back and the same.*deleted and gone/s);
  await beside.getByRole("button", { name: "Reach it elsewhere" }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel("Address").fill(`http://127.0.0.1:${secrets().bucketPort}`);
  await dialog.getByLabel("Region").fill("fulmar");
  await dialog.getByLabel("Bucket", { exact: true }).fill("west-bucket");
  await dialog.getByLabel("Key").fill(secrets().bucketKey);
  await dialog.getByLabel("Secret").fill(secrets().bucketSecret);
  await dialog.getByLabel("Why").fill("moved");
  await dialog.getByRole("button", { name: "Try and use it" }).click();
  await expect(dialog.getByRole("alert")).toContainText("does not hold the newest of them");
  await expectAccessible(page);
  await page.keyboard.press("Escape");
  await go(page, "/estate?show=machines&filter=booking-web");
  await page.getByLabel("Choose all rows shown").check();
  await page.getByRole("button", { name: "Change them" }).click();
  await dialog.getByLabel("What shall change").selectOption("time to start it");
  await dialog.getByLabel("To", { exact: true }).fill("soon");
  await dialog.getByLabel("Why").fill("measured lately");
  await dialog.getByRole("button", { name: "Change 2 rows" }).click();
  await expect(dialog.getByRole("alert")).toContainText("“soon”: /machines/booking-web-1/boot: \"soon\" should be a duration such as 15 min");
  await dialog.getByLabel("To", { exact: true }).fill("95 s");
  await dialog.getByRole("button", { name: "Change 2 rows" }).click();
  await expect(page.getByText("2 items changed.")).toBeVisible();
  await page.getByRole("button", { name: "Columns" }).click();
  await page.getByRole("menuitemcheckbox", { name: "Starts in" }).click();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("row", { name: /booking-web-2/ })).toContainText("1 min 35 s");
  await expectAccessible(page);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByText("2 items changed back.")).toBeVisible();
});

test("copies: copy now asks why, moves only what changed, shows on the strip, and readiness answers with less loss", async () => {
  await go(page, "/");
  const minutes = async (): Promise<number> => {
    const text = (await figures("Boarding gates"))[0]!;
    const [, h = "0", m = "0"] = /^(?:(\d+) h ?)?(?:(\d+) min)?/.exec(text) ?? [];
    return Number(h) * 60 + Number(m);
  };
  const before = await minutes();
  expect(before).toBeGreaterThanOrEqual(20);
  await page.getByRole("link", { name: "Copies" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("1 machine has no copy that survives this loss.");
  await expectAccessible(page);
  await copyNow("Sailing day, hourly");
  const dialog = page.getByRole("dialog", { name: "Copy now" });
  // Typing begins with the reason, and what is missing is said.
  await expect(dialog.getByLabel("Why")).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(dialog.getByText("Say in a few words why")).toHaveText("Say in a few words why; it stands in the audit trail.");
  await dialog.getByRole("button", { name: "none" }).click();
  await dialog.getByRole("button", { name: /^Copy 0 machines/ }).click();
  await expect(dialog).toContainText("Choose at least one machine");
  await dialog.getByRole("button", { name: "all" }).click();
  await dialog.getByLabel("Why").fill("before the storm");
  await expectAccessible(page);
  await dialog.getByRole("button", { name: /^Copy 12 machines/ }).click();
  await expect(dialog).toBeHidden();
  await expect(page.getByTestId("running")).toContainText(/machines? to .* · .*\/s · .* left/);
  await page.getByTestId("running").click();
  await expect(page.getByRole("dialog").getByRole("table")).toContainText("iB of ");
  await page.keyboard.press("Escape");
  await setPace(page, "from event to event");
  await expect(page.getByTestId("running")).toHaveCount(0, { timeout: 45_000 });
  await setPace(page, "hurried while something is awaited");
  await go(page, "/copies?machine=gate-control-1");
  const first = page.getByRole("complementary").getByRole("listitem").first();
  await expect(first).toContainText(/Tern Quay disks.*Gannet Yard disks.*Fulmar North bucket/s);
  await expect(first).toContainText(/MiB changed of \d\d(\.\d)? GiB/);
  await go(page, "/");
  expect(await minutes()).toBeLessThan(before);
});

test("copies can be stopped from the strip, go on, and the schedule can be stopped and started", async () => {
  await go(page, "/copies");
  const policy = page.getByRole("region", { name: "Warehouse and series, twice a day" });
  await policy.getByRole("button", { name: "Stop schedule" }).click();
  await expect(policy.getByText("schedule stopped")).toBeVisible();
  // At the wall's pace there is time to look at it.
  await setPace(page, "the wall's pace");
  await copyNow("Warehouse and series, twice a day");
  const dialog = page.getByRole("dialog", { name: "Copy now" });
  await dialog.getByRole("button", { name: "none", exact: true }).click();
  await dialog.getByLabel(/warehouse-1/).check();
  await dialog.getByLabel("Why").fill("to be stopped");
  await dialog.getByRole("button", { name: "Copy 1 machine" }).click();
  await page.getByTestId("running").click();
  await page.getByRole("button", { name: "Stop warehouse-1" }).click();
  await page.getByRole("button", { name: "Go on with warehouse-1" }).click();
  await page.keyboard.press("Escape");
  await setPace(page, "hurried while something is awaited");
  await expect(page.getByTestId("running")).toHaveCount(0, { timeout: 45_000 });
  await policy.getByRole("button", { name: "Start schedule" }).click();
  await expect(policy.getByRole("button", { name: "Stop schedule" })).toBeVisible();
});

test("runbook: steps against the strike, the chain, who cannot return and why", async () => {
  await page.getByRole("link", { name: "Runbooks" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/^Tern Quay lost: failover to Gannet Yard/);
  await expect(page.getByText("Name service and Identity need each other; a soft dependency breaks the loop.")).toBeVisible();
  await expect(page.getByRole("complementary")).toContainText("Its critical chain");
  await page.getByRole("link", { name: /^Staff files/ }).click();
  await expect(page).toHaveURL(/service=files/);
  await expect(page.getByRole("complementary")).toContainText("Bring back files-office");
  await expect(page.getByRole("img", { name: /^Bring back booking-db .*: .* to .*, takes / })).toBeVisible();
  await expect(page.getByRole("region", { name: "Cannot return" })).toContainText("Data warehouse");
  await expect(page.getByRole("region", { name: /Which point/ }).getByRole("row", { name: /^booking-db/ })).toContainText(/Gannet Yard disks, else Fulmar North bucket/);
  await expectAccessible(page);
});

test("rehearse: in an enclave, by hand, with what must come along; then the record and the diamond", async () => {
  await page.getByRole("link", { name: "Rehearsals" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Rehearse: Tern Quay lost");
  await chooseServices(page, ["names", "notices"]);
  await expect(page.getByRole("row", { name: /^Boarding gates/ })).toHaveCount(0);
  await expect(page.getByRole("row", { name: /^Vessel positions/ })).toContainText("comes along: it is alive elsewhere");
  await page.getByLabel("ticked by hand").check();
  await expectAccessible(page);
  await page.getByRole("button", { name: "Begin the rehearsal" }).click();
  await expect(page.getByText("Say in a few words why")).toBeVisible();
  await page.getByLabel("Why").fill("quarterly rehearsal");
  await page.getByRole("button", { name: "Begin the rehearsal" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Run 1: rehearsal of Tern Quay lost");
  await expectAccessible(page);
  // People's steps wait for a hand, time at the wall's pace; each is ticked once.
  for (let i = 0; i < 3; i++) await page.getByRole("button", { name: "Done" }).first().click({ timeout: 30_000 });
  await expect(page.getByRole("status").filter({ hasText: "All 3 services answered from inside the enclave." })).toBeVisible({ timeout: 40_000 });
  const inside = page.getByRole("region", { name: "Inside the enclave" });
  await expect(inside).toContainText("notices.ternsound.example → notice-hub");
  await expect(inside).toContainText("to sales and terminals");
  await page.getByRole("link", { name: "Its record" }).click();
  const services = page.getByRole("region", { name: "Services" });
  await expect(services.getByRole("row", { name: /^Name service/ })).toContainText("service answers");
  await services.getByText("note who confirmed its data").first().click();
  await services.getByLabel("On whose word").first().fill("network duty");
  await services.getByRole("button", { name: "Note it" }).first().click();
  await expect(services.getByRole("row", { name: /^Name service/ })).toContainText("owner confirmed its data");
  await expect(page.getByRole("region", { name: "Every step" })).toContainText("compared by digest with what was captured");
  await expect(page.getByRole("region", { name: "Every step" })).toContainText("ticked by R. Coordinator");
  await expectAccessible(page);
  await go(page, "/?service=names");
  expect((await figures("Name service"))[5]).toMatch(/min/);
  await expect(page.getByRole("complementary")).toContainText(/Rehearsed in run 1, .*: .* from declared to serviceable, owner confirmed its data\. With the assumed opening of 10 min that is/);
  await page.getByRole("link", { name: "Rehearsals" }).click();
  await page.getByRole("button", { name: "Release the enclave" }).click();
  await expect(page.getByRole("button", { name: "Discard the enclave" })).toBeDisabled();
  await page.getByLabel(/Type “run 1”/).fill("run 1");
  await page.getByRole("button", { name: "Discard the enclave" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Rehearse: Tern Quay lost");
  await page.getByRole("link", { name: "Records" }).click();
  await expect(page.getByRole("row", { name: /^Run 1/ })).toContainText("All 3 services answered from inside the enclave.");
  await expect(page.getByRole("row", { name: /^Run 1/ })).toContainText("discarded");
  await expect(page.getByRole("region", { name: /^Audit trail/ })).toContainText("before the storm");
  await expectAccessible(page);
});

test("real folders: protected in the app and brought back identical", async () => {
  const source = join(data(), "real");
  mkdirSync(join(source, "charts"), { recursive: true });
  writeFileSync(join(source, "charts/Väinameri"), Buffer.alloc(700_000, "depth"));
  writeFileSync(join(source, "empty"), "");
  symlinkSync("charts", join(source, "link"));
  await go(page, "/copies");
  await page.getByRole("button", { name: "Protect a folder or image" }).click();
  const dialog = page.getByRole("dialog", { name: "Protect a folder or image" });
  await dialog.getByLabel("Name").fill("Sea Charts");
  await dialog.getByLabel(/Folder or disk image/).fill("charts");
  await dialog.getByLabel("Why").fill("charts of the day");
  await dialog.getByRole("button", { name: "Protect it now" }).click();
  await expect(dialog).toContainText("A name is made of small letters");
  await expect(dialog).toContainText("is a path that begins with /");
  await expect(dialog.getByLabel("Name")).toHaveValue("Sea Charts");
  await dialog.getByLabel("Name").fill("sea-charts");
  await dialog.getByLabel(/Folder or disk image/).fill(join(data(), "nothing-here"));
  await dialog.getByLabel("Gannet Yard disks").check();
  await dialog.getByRole("button", { name: "Protect it now" }).click();
  await expect(dialog.getByRole("alert")).toContainText("There is nothing at");
  await dialog.getByLabel(/Folder or disk image/).fill(join(data(), "stores"));
  await dialog.getByRole("button", { name: "Protect it now" }).click();
  await expect(dialog.getByRole("alert")).toContainText("the copy would hold itself and never end");
  await dialog.getByLabel(/Folder or disk image/).fill(source);
  await dialog.getByRole("button", { name: "Protect it now" }).click();
  await expect(dialog).toBeHidden();
  const line = page.getByRole("row", { name: /^sea-charts/ });
  await expect(line).toContainText("Tern Quay disks, Gannet Yard disks");
  await line.getByRole("button", { name: "Bring back" }).click();
  const back = page.getByRole("dialog", { name: "Bring back sea-charts" });
  await back.getByLabel(/New or empty folder/).fill(join(data(), "back"));
  await back.getByLabel("Why").fill("to compare");
  await back.getByRole("button", { name: "Bring it back" }).click();
  await expect(page.getByRole("list", { name: "Lately" })).toContainText("every chunk checked");
  execFileSync("diff", ["-r", "--no-dereference", source, join(data(), "back")]);
});

test("fits twice the size and a phone without sideways scrolling, and prints", async () => {
  for (const [width, height] of [[640, 400], [390, 800]] as const) {
    await page.setViewportSize({ width, height });
    for (const path of ["/", "/estate", "/estate?show=machines", "/copies", "/runbooks", "/rehearsals", "/records"]) {
      await go(page, path);
      expect(await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth), `${path} at ${width}`).toBeLessThanOrEqual(1);
    }
  }
  await page.setViewportSize({ width: 1280, height: 800 });
  await go(page, "/runbooks");
  await page.emulateMedia({ media: "print" });
  await expect(page.getByRole("navigation")).toBeHidden();
  await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
  await page.emulateMedia({ media: "screen" });
});

test("an observer looks at everything and can change nothing, whatever is sent", async ({ browser }) => {
  const other = await browser.newPage();
  await signIn(other, "observer");
  await go(other, "/copies");
  await expect(other.getByRole("button", { name: "Copy now" })).toBeDisabled();
  await go(other, "/rehearsals");
  await expect(other.getByRole("button", { name: "Begin the rehearsal" })).toBeDisabled();
  const acts: [string, Record<string, string>][] = [
    ["/copies", { act: "copy-now", policy: "hourly", machines: "names-1", reason: "not allowed" }],
    ["/copies", { act: "schedule", policy: "hourly", running: "no" }],
    ["/copies", { act: "protect", name: "x", path: "/etc", stores: "quay-disks", reason: "not allowed" }],
    ["/rehearsals", { act: "begin", services: "names", hands: "crew", lost: "tern-quay", reason: "not allowed" }],
    ["/pace", { mode: "events" }],
    ["/estate/platforms", { act: "discover", platform: "skerry-quay" }],
    ["/estate/platforms", { act: "forget", platform: "skerry-quay" }],
    ["/estate/platforms", { act: "take", platform: "skerry-quay", findings: "machines/ticket-sandbox", base: "0", reason: "not allowed" }],
    ["/estate/stores", { act: "try", store: "north-bucket" }],
    ["/estate/stores", { act: "reach-folder", store: "quay-disks", path: "/tmp", reason: "not allowed" }],
    ["/estate/stores", { act: "look" }],
  ];
  const estate = { act: "preview", what: "estate", mode: "replace", file: { name: "e.yaml", mimeType: "application/yaml", buffer: Buffer.from("format: 1") } };
  expect(await (await other.request.post(address("/estate.data"), { multipart: estate, headers: { origin: address() } })).text()).toContain("may look but not act");
  for (const [path, form] of acts) {
    const reply = await other.request.post(address(`${path}.data`), { form, headers: { origin: address() } });
    expect(await reply.text(), path + JSON.stringify(form)).toContain("may look but not act");
  }
  await go(other, "/records");
  await expect(other.getByRole("region", { name: /^Audit trail/ })).not.toContainText("not allowed");
  // Who is not signed in gets nothing; another site's request is refused.
  await other.context().clearCookies();
  for (const path of ["/", "/estate", "/estate/file/estate.yaml", "/find?text=names", "/copies", "/runbooks", "/rehearsals", "/records", "/records/00000000-0000-4000-8000-000000000000"]) {
    await other.goto(address(path));
    await expect(other).toHaveURL(/sign-in/);
  }
  expect((await other.request.get(address("/live"))).status()).toBe(401);
  expect((await other.request.post(address("/sign-in"), { form: { name: "a", password: "b" }, headers: { origin: "http://evil.example" } })).status()).toBe(403);
  await hydratedOrNot(other);
  await other.close();
});

/** The sign-in page has no frame to wait for. */
const hydratedOrNot = (other: Page): Promise<unknown> => Promise.race([hydrated(other), other.waitForLoadState("load")]);
