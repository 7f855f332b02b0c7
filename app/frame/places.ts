/** The places there are, in the order of the header. */
export const PLACES = [
  { to: "/", name: "Readiness" },
  { to: "/estate", name: "Estate" },
  { to: "/copies", name: "Copies" },
  { to: "/runbooks", name: "Runbooks" },
  { to: "/rehearsals", name: "Rehearsals" },
  { to: "/records", name: "Records" },
] as const;
