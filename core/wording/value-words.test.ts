import { describe, expect, it } from "vitest";
import { smallEstate } from "../tests/small-estate.ts";
import { valueWords } from "./value-words.ts";

describe("values in words", () => {
  it("carry the unit that their field has, however deep they stand", () => {
    expect(valueWords("memory", 2 ** 37)).toBe("128 GiB");
    expect(valueWords("change.written", 2 ** 30)).toBe("1 GiB an hour");
    expect(valueWords("readRate", 2 ** 20)).toBe("1 MiB/s");
    expect(valueWords("returns.seconds", 240)).toBe("4 min");
    expect(valueWords("mtd", null)).toBe("nothing");
    expect(valueWords("dependsOn", [{ service: "names", strength: "hard" }])).toBe("service names, strength hard");
    expect(valueWords("machines", ["a", "b"])).toBe("a; b");
    expect(valueWords("hours", [])).toBe("none");
  });
  it("leave no large number of an estate bare: every one is a quantity", () => {
    for (const items of Object.values(smallEstate())) for (const item of [items].flat()) expect(valueWords("", item)).not.toMatch(/\d{5}/);
  });
});
