import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import { Button } from "../../../ui/button.tsx";
import { Choice } from "../../../ui/choice.tsx";
import { Dialog } from "../../../ui/dialog.tsx";
import { Field } from "../../../ui/field.tsx";
import { Notice } from "../../../ui/notice.tsx";
import { Pick } from "../../../ui/pick.tsx";
import type { PlatformResult } from "./actions.ts";

type Named = { id: string; name: string };
export type ConnectDialogProps = {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  sites: readonly Named[];
  hosts: readonly Named[];
  onDone: (words: string) => void;
  again?: { id: string; address: string; account: string; siteId: string };
};

/** Connects a platform: it is tried first, and its certificate confirmed by its fingerprint. */
export function ConnectDialog({ open, onOpenChange, onDone, ...rest }: ConnectDialogProps) {
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title={rest.again ? `Reach ${rest.again.id} anew` : "Connect a platform"}
      about="It is tried before anything else, and connected only when it can be used. Nothing there is changed."
    >
      <ConnectForm
        {...rest}
        onDone={(words) => {
          onOpenChange(false);
          onDone(words);
        }}
      />
    </Dialog>
  );
}

function ConnectForm({ sites, hosts, onDone, again }: Omit<ConnectDialogProps, "open" | "onOpenChange">) {
  const fetcher = useFetcher<PlatformResult>();
  const [kind, setKind] = useState<"connect" | "connect-folder">("connect");
  const [fingerprint, setFingerprint] = useState("");
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  useEffect(() => {
    if (result && "confirm" in result) setFingerprint(result.confirm);
    if (result && "done" in result) onDone(result.done);
    // Once for each reply.
  }, [result]);
  const errors = (result && "error" in result && result.reply?.error) || {};
  const of = (name: string): string[] | undefined => errors[name] ?? undefined;
  const manager = kind === "connect";
  return (
    <fetcher.Form method="post" action="/estate/platforms" className="space-y-3" noValidate>
      <input type="hidden" name="act" value={kind} />
      {!again && (
        <fieldset>
          <legend className="text-sm font-semibold">What it is</legend>
          <Choice type="radio" name="what" checked={manager} onChange={() => setKind("connect")}>
            a platform manager that answers over HTTPS
          </Choice>
          <Choice type="radio" name="what" checked={!manager} onChange={() => setKind("connect-folder")}>
            a folder of disk images with OVF descriptors
          </Choice>
        </fieldset>
      )}
      <Field
        id="platform-id"
        name="id"
        label="Name"
        hint="Small letters, digits and hyphens."
        errors={of("id")}
        defaultValue={again?.id ?? ""}
        readOnly={again !== undefined}
        autoComplete="off"
        required
      />
      {manager ? (
        <>
          <Pick id="platform-site" name="site" label="Site at which it stands" options={sites} defaultValue={again?.siteId} errors={of("site")} />
          <Field
            id="platform-address"
            name="address"
            label="Address"
            hint="Begins with https://"
            errors={of("address")}
            defaultValue={again?.address ?? ""}
            autoComplete="off"
            required
          />
          <div className="grid grid-cols-2 gap-3">
            <Field id="platform-account" name="account" label="Account" errors={of("account")} defaultValue={again?.account ?? ""} autoComplete="off" required />
            <Field id="platform-password" name="password" type="password" label="Password" errors={of("password")} autoComplete="new-password" required />
          </div>
          <Field
            id="platform-fingerprint"
            name="fingerprint"
            label="Fingerprint of its certificate (SHA-256)"
            hint="Leave it empty to see what the platform shows; confirm it only after comparing it with what its keeper reads out."
            errors={of("fingerprint")}
            value={fingerprint}
            onChange={(e) => setFingerprint(e.target.value)}
            autoComplete="off"
          />
          {result && "confirm" in result && <Notice kind="know">This is what it shows. If its keeper reads out the same, connect.</Notice>}
        </>
      ) : (
        <>
          <Field
            id="platform-path"
            name="path"
            label="Folder on the server"
            hint="The whole path, beginning with /. Descriptors lie in it or one folder below."
            errors={of("path")}
            autoComplete="off"
            required
          />
          <Pick id="platform-host" name="host" label="Host on which its machines would run" options={hosts} errors={of("host")} />
        </>
      )}
      <Field id="platform-reason" name="reason" label="Why" errors={of("reason")} autoComplete="off" required />
      {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
      <Button kind="act" type="submit" disabled={fetcher.state !== "idle"}>
        {fetcher.state === "idle" ? "Try and connect" : "Trying …"}
      </Button>
    </fetcher.Form>
  );
}
