import type { ReactNode } from "react";

/** The next step where nothing has been described. */
export function NoEstate({ act, children }: { act?: ReactNode; children?: ReactNode }) {
  return (
    <main className="mx-auto max-w-xl p-12">
      <h1>No estate is described here yet.</h1>
      <p className="mt-2 text-soft">
        Everything begins with an estate file: sites and the lines between them, hosts, stores, machines, services with their targets, and the policies that copy them.{" "}
        <code className="figures">docs/estate-format.md</code> tells how to write one, and the command line projects outages from it without any server. The demo reads an invented
        one.
      </p>
      {act && <p className="mt-4">{act}</p>}
      {children}
    </main>
  );
}
