/** The places there are, in the order of the header. */
export const PLACES = [
  { to: "/", name: "Readiness" },
  { to: "/estate", name: "Estate" },
  { to: "/copies", name: "Copies" },
  { to: "/runbooks", name: "Runbooks" },
  { to: "/rehearsals", name: "Rehearsals" },
  { to: "/records", name: "Records" },
] as const;

/** Parts of places that are gone to by themselves, with what stands in their address. */
export const PARTS_OF_PLACES: readonly { to: string; more?: Record<string, string>; name: string }[] = [
  { to: "/estate/dependencies", name: "What hangs on what" },
  { to: "/estate", more: { show: "connections" }, name: "Seen connections" },
  { to: "/estate/landings", name: "Landing zones" },
  { to: "/estate/setup", name: "The coordinator's names, clock and mail" },
  { to: "/estate/changes", name: "Changes of the estate" },
  { to: "/estate", more: { show: "gaps" }, name: "What is wanting" },
];
