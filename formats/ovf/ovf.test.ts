import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { GIB, MIB, smallEstate } from "#core/tests/small-estate.ts";
import { withOvfMachines } from "./machines.ts";
import { OvfError, readOvf, unitBytes } from "./read-ovf.ts";

/** Written by hand after DSP0243 2.1, section 8 and 9: one system of version 1. */
const envelope = (inside: string, version = 1): string => `<?xml version="1.0" encoding="UTF-8"?>
<ovf:Envelope xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/${version}" xmlns:rasd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData" xmlns:vssd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_VirtualSystemSettingData">
${inside}
</ovf:Envelope>`;
const item = (type: number, more: string): string => `<ovf:Item><rasd:InstanceID>1</rasd:InstanceID><rasd:ResourceType>${type}</rasd:ResourceType>${more}</ovf:Item>`;
const quantity = (n: number, units = ""): string => `${units && `<rasd:AllocationUnits>${units}</rasd:AllocationUnits>`}<rasd:VirtualQuantity>${n}</rasd:VirtualQuantity>`;
const SYSTEM = envelope(`
  <ovf:References><ovf:File ovf:id="file1" ovf:href="ticket-disk1.img" ovf:size="180114671"/></ovf:References>
  <ovf:DiskSection><ovf:Info>Disks</ovf:Info>
    <ovf:Disk ovf:diskId="system" ovf:fileRef="file1" ovf:capacity="40" ovf:capacityAllocationUnits="byte * 2^30" ovf:populatedSize="8589934592"/>
    <ovf:Disk ovf:diskId="Data Disk" ovf:capacity="107374182400"/>
  </ovf:DiskSection>
  <ovf:VirtualSystem ovf:id="Ticket_01"><ovf:Info>A machine</ovf:Info><ovf:Name>Ticket office &amp; kiosk</ovf:Name>
    <ovf:VirtualHardwareSection><ovf:Info>Needs</ovf:Info>
      ${item(3, quantity(4))}${item(4, quantity(8_192, "byte * 2^20"))}
      ${item(17, "<rasd:HostResource>ovf:/disk/system</rasd:HostResource>")}${item(17, "<rasd:HostResource>ovf:/disk/Data Disk</rasd:HostResource>")}
      ${item(10, "<rasd:Connection>quay lan</rasd:Connection>")}
    </ovf:VirtualHardwareSection>
  </ovf:VirtualSystem>`);

describe("an OVF descriptor", () => {
  it("gives systems with cores, memory, disks and networks, by the units it names", () => {
    const expected = {
      id: "Ticket_01",
      name: "Ticket office & kiosk",
      cores: 4,
      memory: 8 * GIB,
      networks: ["quay lan"],
      firmware: null,
      disks: [
        { id: "system", bytes: 40 * GIB, usedBytes: 8 * GIB, file: "ticket-disk1.img" },
        { id: "Data Disk", bytes: 100 * GIB, usedBytes: null, file: null },
      ],
    };
    expect(readOvf(SYSTEM)).toEqual([expected]);
    // Another prefix, the second version and a collection say the same.
    const other = SYSTEM.replaceAll("ovf:/disk", "@").replaceAll("ovf:", "o:").replaceAll("xmlns:ovf=", "xmlns:o=").replaceAll("@", "ovf:/disk").replace("envelope/1", "envelope/2");
    expect(readOvf(other.replace("<o:VirtualSystem ", '<o:VirtualSystemCollection o:id="all"><o:VirtualSystem ').replace("</o:VirtualSystem>", "</o:VirtualSystem></o:VirtualSystemCollection>"))).toEqual([expected]);
    // Programmatic units after DSP0004, and words of old descriptors.
    expect(["byte", "byte * 2^20", "byte*10^9", "MegaBytes"].map(unitBytes)).toEqual([1, MIB, 1e9, MIB]);
  });

  it("becomes machines of an estate, telling what it wrote otherwise and assumed", () => {
    const { estate, notes } = withOvfMachines(smallEstate((e) => (e.organisation.id = "org")), readOvf(SYSTEM), "y1");
    expect(estate.machines.at(-1)).toMatchObject({ id: "ticket-01", name: "Ticket office & kiosk", host: "y1", cores: 4, memory: 8 * GIB, disks: [{ id: "system", size: 40 * GIB, used: 8 * GIB }, { id: "data-disk", size: 100 * GIB, used: 100 * GIB }] });
    expect(notes.join("\n")).toMatch(/Ticket_01 is taken in as ticket-01.*\n.*taken as full \(ticket-01\).*\n.*are assumed/);
    // Brought in again it changes nothing, and keeps the change that was learnt meanwhile.
    estate.machines.at(-1)!.change.written = 7;
    expect(withOvfMachines(estate, readOvf(SYSTEM), "q1").estate).toEqual(estate);
    expect(() => withOvfMachines(smallEstate(), readOvf(SYSTEM), "moon")).toThrow(/no host moon/);
  });

  it("is refused with what would be right: bombs, entities, ways out, what is missing", () => {
    const wrong: [string, RegExp][] = [
      ['<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>' + SYSTEM.replace(/^<\?xml[^>]*\?>\n/, ""), /a document type is not taken/],
      ['<!DOCTYPE x SYSTEM "file:///etc/passwd"><x/>', /a document type is not taken/],
      [SYSTEM.replace("&amp;", "&secret;"), /not well-formed XML/],
      [SYSTEM.replace("</ovf:VirtualSystem>", ""), /not well-formed XML/],
      ["<Envelope/>", /the root is no OVF Envelope/],
      ["", /./],
      [envelope("<ovf:x>".repeat(80) + "</ovf:x>".repeat(80)), /nested more than 64 deep/],
      [envelope(""), /no virtual system/],
      [SYSTEM.replace("ticket-disk1.img", "../../etc/shadow"), /does not lie beside the descriptor/],
      [SYSTEM.replace("ticket-disk1.img", "http://elsewhere/x"), /does not lie beside the descriptor/],
      [SYSTEM.replace('ovf:capacity="40"', 'ovf:capacity="-4"'), /no capacity that can be read/],
      [SYSTEM.replace("ovf:/disk/system", "ovf:/disk/none"), /a disk none that no disk section describes/],
      [SYSTEM.replace(">4<", ">many<"), /number of processors/],
      [SYSTEM.replace("byte * 2^30", "stones"), /stones is no unit/],
    ];
    for (const [text, words] of wrong) expect(() => readOvf(text), String(words)).toThrow(words);
  });

  it("never fails in another way, whatever is done to it", () => {
    fc.assert(
      fc.property(fc.nat(SYSTEM.length), fc.nat(60), fc.string({ unit: fc.constantFrom("<", ">", "&", '"', "/", "a", "\0", "é", "]]>") }), (at, length, put) => {
        try {
          readOvf(SYSTEM.slice(0, at) + put + SYSTEM.slice(at + length));
        } catch (error) {
          expect(error).toBeInstanceOf(OvfError);
        }
      }),
      { numRuns: 300 },
    );
  });
});
