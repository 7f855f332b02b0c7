import { describe, expect, it } from "vitest";
import type { CopyFact } from "../copies/copy-fact.ts";
import type { Estate } from "../estate/model.ts";
import { checkStep, generateRunbook } from "../runbook/generate.ts";
import { GRADES, gradeReached, measuredServiceable, type MeasuredStep } from "../runbook/proof.ts";
import { AT, copyOf, GIB, MIB, smallEstate } from "../tests/small-estate.ts";
import { assessReadiness, type Readiness } from "./readiness.ts";
import { sitesByHurt } from "./worst-site.ts";

const everywhere = (estate: Estate, secondsBefore = 600): CopyFact[] => estate.machines.flatMap((m) => estate.stores.map((s) => copyOf(estate, m.id, s.id, secondsBefore)));
const quayLost = (estate: Estate, facts = everywhere(estate)): Readiness => assessReadiness(estate, facts, ["quay"], AT);
const of = (readiness: Readiness, service: string): Readiness["services"][number] => readiness.services.find((s) => s.service === service)!;

describe("readiness", () => {
  it("adds up by hand: opening, making, bringing back, starting, name, check", () => {
    const estate = smallEstate();
    const readiness = quayLost(estate);
    // Detection 120, decision 180, coordinator back 240; then db: made 20 s, 40 GiB. The slowest on the
    // way is the yard's pool (400 MiB/s whole) or its disks (200 MiB/s of half the bytes): both 102.4 s.
    const opening = 120 + 180 + 240;
    const bring = (40 * GIB) / (400 * MIB);
    expect(of(readiness, "data").recovery).toEqual({ detected: 120, declared: 300, coordinatorReady: opening, serviceable: opening + 20 + bring + 60 + 60 + 10 });
    // One stream: web (20 GiB) follows db and boots after data has answered.
    const web = opening + 20 + bring + (20 * GIB) / (400 * MIB);
    const dataUp = of(readiness, "data").recovery!.serviceable;
    expect(of(readiness, "site").recovery!.serviceable).toBeCloseTo(Math.max(web, dataUp) + 60 + 60 + 10, 6);
    expect(of(readiness, "data").loss).toMatchObject({ seconds: 600, machine: "db", stores: ["yd", "cb"] });
    expect(readiness.headline).toBe("If Quay were lost now, 2 of 2 services would keep their targets.");
  });

  it("gives each verdict its sentence and its reason", () => {
    const late = quayLost(smallEstate((e) => (e.services[0]!.rto = 600)));
    expect(of(late, "data")).toMatchObject({ verdict: "late", sentence: expect.stringMatching(/^3 min 12 s late: 9 min pass until the coordinator can begin$/) });
    const lossy = quayLost(smallEstate((e) => (e.services[0]!.rpo = 300)));
    expect(of(lossy, "data")).toMatchObject({ verdict: "loses-too-much", sentence: "loses 5 min too much: db was copied 10 min before" });
    const both = quayLost(smallEstate((e) => Object.assign(e.services[0]!, { rto: 600, rpo: 300 })));
    expect(of(both, "data").verdict).toBe("late-and-loses-too-much");
    const tight = quayLost(smallEstate((e) => (e.services[0]!.rto = 820)));
    expect(of(tight, "data").verdict).toBe("tight");
    const none = assessReadiness(smallEstate(), [], ["quay"], AT);
    expect(of(none, "data")).toMatchObject({ verdict: "cannot-return", sentence: "cannot return: db had never been copied by then", recovery: null });
    expect(of(none, "site").sentence).toBe("cannot return: web had never been copied by then");
    const local = quayLost(smallEstate(), smallEstate().machines.map((m) => copyOf(smallEstate(), m.id, "qd", 60)));
    expect(of(local, "data").sentence).toBe("cannot return: no copy of db survives: all lie in Quay disks, lost with it");
    const bad = quayLost(smallEstate(), smallEstate().machines.map((m) => copyOf(smallEstate(), m.id, "yd", 600, { state: m.id === "db" ? "damaged" : "whole" })));
    expect(of(bad, "data").sentence).toBe("cannot return: every surviving copy of db is damaged (Yard disks)");
    expect(of(bad, "site").sentence).toBe("cannot return: it needs data, which cannot return");
    expect(of(assessReadiness(smallEstate(), everywhere(smallEstate()), ["yd"], AT), "data")).toMatchObject({ verdict: "stays-up", sentence: "stays up" });
    const mtd = quayLost(smallEstate((e) => Object.assign(e.services[0]!, { mtd: 4_000, wrt: 3_500 })));
    expect(of(mtd, "data").reasons.join(" ")).toMatch(/pass the MTD of 1 h 7 min/);
  });

  it("cannot bring anything back when the coordinator is lost with its own copy", () => {
    const estate = smallEstate((e) => (e.coordinator.copy.site = "yard"));
    const readiness = assessReadiness(estate, everywhere(estate), ["quay", "yard"], AT);
    expect(readiness.noRunbook).toMatch(/The coordinator and its own copy at Yard are lost together/);
    expect(readiness.services.every((s) => s.verdict === "cannot-return")).toBe(true);
  });

  it("asks for no coordinator's return where the coordinator stands elsewhere", () => {
    const estate = smallEstate((e) => (e.coordinator.site = "cloud"));
    expect(of(quayLost(estate), "data").recovery).toMatchObject({ declared: 300, coordinatorReady: 300 });
  });

  it("never gets worse when something gets better: newer copies, a faster store", () => {
    const base = quayLost(smallEstate());
    const better = [quayLost(smallEstate(), everywhere(smallEstate(), 60)), quayLost(smallEstate((e) => Object.assign(e.stores[1]!, { readRate: 900 * MIB })))];
    for (const other of better)
      for (const s of base.services) {
        expect(of(other, s.service).recovery!.serviceable).toBeLessThanOrEqual(s.recovery!.serviceable + 1e-6);
        expect(of(other, s.service).loss!.seconds).toBeLessThanOrEqual(s.loss!.seconds);
      }
    // More streams are another matter: they share the rate, so what mattered most comes later, and all together not sooner.
    const streams = quayLost(smallEstate((e) => Object.assign(e.stores[1]!, { restoreStreams: 4 })));
    expect(of(streams, "data").recovery!.serviceable).toBeGreaterThan(of(base, "data").recovery!.serviceable);
  });

  it("takes the store that is quickest from where the machine will run, and the next one where that is lost", () => {
    const estate = smallEstate();
    const plan = (lost: string[]): string[] => generateRunbook(estate, everywhere(estate), { lost, at: AT, purpose: "failover" }).machines.get("db")!.stores;
    expect(plan(["quay"])).toEqual(["yd", "cb"]);
    expect(plan(["quay", "yd"])).toEqual(["cb"]);
  });

  it("knows which site's loss hurts most", () => {
    const estate = smallEstate();
    expect(sitesByHurt(estate, everywhere(estate), AT).map((s) => [s.site, s.misses])).toEqual([["quay", 0], ["yard", 0], ["cloud", 0]]);
    const slow = smallEstate((e) => (e.services[1]!.rto = 60));
    expect(sitesByHurt(slow, everywhere(slow), AT)[0]).toEqual({ site: "quay", name: "Quay", misses: 1 });
  });
});

describe("a runbook", () => {
  it("opens restore streams to what matters most, though lesser machines may be made sooner", () => {
    const estate = smallEstate((e) => {
      e.services[1]!.dependsOn = [];
      e.machines[1]!.prepare = 1;
      e.machines[0]!.prepare = 30;
    });
    const { timeline, steps } = generateRunbook(estate, everywhere(estate), { lost: ["quay"], at: AT, purpose: "failover" });
    expect(timeline.steps.get("bring-back/web")!.start).toBeGreaterThan(timeline.steps.get("bring-back/db")!.start);
    // It waits for the other's making to be over, but does not need it.
    const web = steps.find((s) => s.id === "bring-back/web")!;
    expect(web.after).toContain("prepare/db");
    expect(web.needs).toEqual(["prepare/web"]);
  });

  it("opens them first to what others of equal urgency depend on", () => {
    const estate = smallEstate((e) => {
      e.services[1]!.tier = 1;
      e.services[1]!.rto = 500;
      e.machines[0]!.prepare = 60;
    });
    const { timeline } = generateRunbook(estate, everywhere(estate), { lost: ["quay"], at: AT, purpose: "failover" });
    expect(timeline.steps.get("bring-back/db")!.start).toBeLessThan(timeline.steps.get("bring-back/web")!.start);
  });

  it("starts a loop of hard dependencies together and says so; a soft edge breaks one", () => {
    const loop = smallEstate((e) => (e.services[0]!.dependsOn = [{ service: "site", strength: "hard" }]));
    const runbook = generateRunbook(loop, everywhere(loop), { lost: ["quay"], at: AT, purpose: "failover" });
    expect(runbook.notes).toEqual(["data and site need each other and nothing breaks the loop: they are started together."]);
    expect(runbook.timeline.steps.has(checkStep("data"))).toBe(true);
    const soft = smallEstate((e) => (e.services[0]!.dependsOn = [{ service: "site", strength: "soft" }]));
    expect(generateRunbook(soft, everywhere(soft), { lost: ["quay"], at: AT, purpose: "failover" }).notes).toEqual(["data and site need each other; a soft dependency breaks the loop."]);
  });

  it("of a rehearsal begins at the declaration and takes along what is alive elsewhere", () => {
    const estate = smallEstate((e) => {
      e.machines.push({ ...e.machines[0]!, id: "far", name: "far", host: "y1", disks: [{ id: "s", size: 10 * GIB, used: 5 * GIB }] });
      e.services.push({ ...e.services[0]!, id: "feed", name: "feed", machines: ["far"], dependsOn: [] });
      e.services[1]!.dependsOn.push({ service: "feed", strength: "hard" });
    });
    const facts = everywhere(estate);
    const failover = generateRunbook(estate, facts, { lost: ["quay"], at: AT, purpose: "failover" });
    expect(failover.services.get("feed")).toEqual({ kind: "stays", service: "feed" });
    const rehearsal = generateRunbook(estate, facts, { lost: ["quay"], at: AT, purpose: "rehearsal", services: ["site"] });
    expect([...rehearsal.services.values()].filter((s) => s.kind === "returns").map((s) => s.service).sort()).toEqual(["data", "feed", "site"]);
    expect(rehearsal.steps.some((s) => s.kind === "detect" || s.kind === "declare" || s.kind === "return-coordinator")).toBe(false);
    const without = generateRunbook(estate, facts.filter((f) => f.machine !== "far"), { lost: ["quay"], at: AT, purpose: "rehearsal", services: ["site"] });
    expect(without.services.get("site")).toMatchObject({ kind: "cannot", reason: "it needs feed, which cannot return" });
  });
});

describe("proof", () => {
  const step = (kind: MeasuredStep["kind"], machine: string | null, state = "done"): MeasuredStep => ({ id: `${kind}/${machine ?? "s"}`, kind, service: "s", machine, state, startedAt: AT, finishedAt: AT + 90_000 });
  const all = [step("bring-back", "m"), step("boot", "m"), step("check", null)];
  it("has grades, each with those before it", () => {
    expect(gradeReached(all, "s", ["m"], false)).toBe("answers");
    expect(gradeReached(all, "s", ["m"], true)).toBe("confirmed");
    expect(gradeReached([all[0]!, all[1]!, step("check", null, "failed")], "s", ["m"], true)).toBe("boots");
    expect(gradeReached([all[0]!, step("boot", "m", "failed")], "s", ["m"], false)).toBe("brought-back");
    expect(gradeReached([step("bring-back", "m", "failed")], "s", ["m"], false)).toBe("none");
    expect(gradeReached([], "s", ["m"], true)).toBe("none");
    expect(GRADES).toEqual(["none", "brought-back", "boots", "answers", "confirmed"]);
  });
  it("is measured from the declaration, and only where the service answered", () => {
    expect(measuredServiceable(all, "s", AT)).toBe(90);
    expect(measuredServiceable([step("check", null, "failed")], "s", AT)).toBeNull();
    expect(measuredServiceable([], "s", AT)).toBeNull();
  });
});
