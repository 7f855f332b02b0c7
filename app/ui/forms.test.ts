import { describe, expect, it } from "vitest";
import { bringBackForm, copyNowForm, protectForm } from "../routes/copies/forms.ts";
import { beginForm } from "../routes/rehearsals/forms.ts";
import { confirmForm } from "../runs/forms.ts";
import { type FormResult, readForm } from "./form-result.ts";
import { isUnanswered, orUnanswered } from "./or-unanswered.ts";

function form(entries: Record<string, string | string[]>): FormData {
  const data = new FormData();
  for (const [key, value] of Object.entries(entries)) for (const one of [value].flat()) data.append(key, one);
  return data;
}
const wrongOf = (read: { values: unknown } | { wrong: FormResult }): string => ("wrong" in read && "error" in read.wrong ? read.wrong.error : "it was taken");

describe("forms", () => {
  it("take one chosen thing as a list of one, and trim what was typed", () => {
    expect(readForm(copyNowForm, form({ policy: "p", machines: "a", reason: "  because  " }))).toEqual({ values: { policy: "p", machines: ["a"], reason: "because" } });
    expect(readForm(copyNowForm, form({ policy: "p", machines: ["a", "b"], reason: "because" }))).toMatchObject({ values: { machines: ["a", "b"] } });
    expect(readForm(beginForm, form({ services: "s", hands: "crew", reason: "quarterly" }))).toMatchObject({ values: { services: ["s"], hands: "crew" } });
  });

  it("say what is wrong and what would be right", () => {
    expect(wrongOf(readForm(copyNowForm, form({ policy: "p", reason: "because" })))).toBe("Choose at least one machine.");
    expect(wrongOf(readForm(copyNowForm, form({ policy: "p", machines: "a" })))).toMatch(/Say in a few words why/);
    expect(wrongOf(readForm(copyNowForm, form({ policy: "p", machines: "a", reason: "x".repeat(301) })))).toMatch(/under 300/);
    expect(wrongOf(readForm(protectForm, form({ name: "../up", path: "/srv", stores: "s", reason: "because" })))).toMatch(/A name is made of small letters/);
    expect(wrongOf(readForm(protectForm, form({ name: "ok", path: "srv", stores: "s", reason: "because" })))).toMatch(/begins with \//);
    expect(wrongOf(readForm(bringBackForm, form({ name: "ok", to: "/srv/back", reason: "because" })))).toMatch(/Choose a point/);
    expect(wrongOf(readForm(beginForm, form({ services: "s", hands: "robots", reason: "because" })))).not.toBe("it was taken");
    expect(wrongOf(readForm(confirmForm, form({ service: "s", byWhom: " " })))).toMatch(/on whose word/);
  });

  it("keep what was typed for the page that shows the fault", () => {
    const read = readForm(protectForm, form({ name: "Sea Charts", path: "/srv", stores: "s", reason: "because" }));
    expect("wrong" in read && "reply" in read.wrong ? read.wrong.reply?.initialValue : {}).toMatchObject({ name: "Sea Charts", path: "/srv" });
  });

  it("tell a server that does not answer from one that refuses", async () => {
    expect(await orUnanswered(async () => Promise.reject(new TypeError("Failed to fetch")))).toEqual({ error: expect.stringContaining("nothing was done") as string });
    await expect(orUnanswered(async () => Promise.reject(new Error("other")))).rejects.toThrow("other");
    expect(isUnanswered(new TypeError("x is not a function"))).toBe(false);
    expect(await orUnanswered(async () => 7)).toBe(7);
  });
});
