import { describe, expect, it } from "vitest";
import { difference, LIST_KINDS } from "#core/estate/difference.ts";
import { readEstate } from "./read-estate.ts";
import { demoText } from "./tests/demo-text.ts";
import { withoutItem, withWrittenItem, writtenItem } from "./written-item.ts";

const { estate } = readEstate(demoText());

describe("one item as it is written", () => {
  it("put back as it was written changes nothing, whatever it is", () => {
    for (const kind of LIST_KINDS) for (const { id } of estate[kind].filter((_, i) => i % 4 === 0)) expect(withWrittenItem(estate, kind, id, writtenItem(estate, kind, id)!).estate).toEqual(estate);
    expect(writtenItem(estate, "sites", "nowhere")).toBeNull();
  });
  it("changes itself alone, and stands beside the others when it is new", () => {
    const text = writtenItem(estate, "groups", "ledger-whole")!.replace("within: 1 min", "within: 5 min");
    expect(difference(estate, withWrittenItem(estate, "groups", "ledger-whole", text).estate)).toMatchObject([{ kind: "groups", id: "ledger-whole", fields: [{ path: "within", after: 300 }] }]);
    const added = withWrittenItem(estate, "groups", null, "id: gates-whole\nname: both gates\nmachines: [gate-control-1, gate-control-2]\nwithin: 10 s\n");
    expect(difference(estate, added.estate)).toMatchObject([{ change: "appears", id: "gates-whole" }]);
    expect(withoutItem(added.estate, "groups", "gates-whole")).toEqual(estate);
  });
  it.each([
    ["id: [", null, "not valid YAML"],
    ["name: x", null, "id is missing"],
    ["id: booking-whole", null, "is there already"],
    ["id: other", "booking-whole", "another id than booking-whole"],
    ["id: a\nname: A\nmachines: [names-1, nowhere]\nwithin: 1 s", null, "there is no machine nowhere"],
    ["id: a\nname: A\nmachines: [names-1, ident-1]\nwithin: soon", null, "a duration such as 15 min"],
    ["id: a\nname: A\nmachines: [names-1, booking-db]\nwithin: 1 s", null, "in another group already"],
  ])("is refused: %s", (text, id, words) => expect(() => withWrittenItem(estate, "groups", id, text)).toThrow(words));
  it("is not taken out while others refer to it", () => {
    expect(() => withoutItem(estate, "hosts", "tq-1")).toThrow("there is no host tq-1");
  });
});
