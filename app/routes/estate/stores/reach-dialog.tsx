import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import { Button } from "../../../ui/button.tsx";
import { Dialog } from "../../../ui/dialog.tsx";
import { Field } from "../../../ui/field.tsx";
import { Notice } from "../../../ui/notice.tsx";
import type { StoreResult } from "./route.tsx";

type Reached = { id: string; name: string; bucket: boolean };

/** Says how a store is reached; it is tried before anything is changed. */
export function ReachDialog({ store, open, onOpenChange, onDone }: { store: Reached; open: boolean; onOpenChange: (open: boolean) => void; onDone: (words: string) => void }) {
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title={`How ${store.name} is reached`}
      about="It is tried first: signed in, one blob written, read back, listed and deleted. Where points lie in it already, the new address must hold them."
    >
      <ReachForm
        store={store}
        onDone={(words) => {
          onOpenChange(false);
          onDone(words);
        }}
      />
    </Dialog>
  );
}

function ReachForm({ store, onDone }: { store: Reached; onDone: (words: string) => void }) {
  const fetcher = useFetcher<StoreResult>();
  const looking = useFetcher<StoreResult>();
  const [endpoint, setEndpoint] = useState("");
  const [region, setRegion] = useState("");
  const result = fetcher.state === "idle" ? fetcher.data : undefined;
  useEffect(() => {
    if (result && "done" in result) onDone(result.done);
    // Once for each reply.
  }, [result]);
  const errors = (result && "error" in result && result.reply?.error) || {};
  const of = (name: string): string[] | undefined => errors[name] ?? undefined;
  const offers = looking.data && "offers" in looking.data ? looking.data.offers : null;
  return (
    <fetcher.Form method="post" action="/estate/stores" className="space-y-3" noValidate>
      <input type="hidden" name="store" value={store.id} />
      <input type="hidden" name="act" value={store.bucket ? "reach-bucket" : "reach-folder"} />
      {store.bucket ? (
        <>
          <div className="flex flex-wrap items-center gap-3 text-sm">
            <Button disabled={looking.state !== "idle"} onClick={() => void looking.submit({ act: "look" }, { method: "post", action: "/estate/stores" })}>
              {looking.state === "idle" ? "Look on the network" : "Listening …"}
            </Button>
            {offers?.length === 0 && <span className="text-soft">No bucket announces itself just now.</span>}
            {offers?.map((o) => (
              <button
                key={o.endpoint}
                type="button"
                className="plain-link"
                onClick={() => {
                  setEndpoint(o.endpoint);
                  setRegion(o.region);
                }}
              >
                {o.name} at {o.endpoint}
              </button>
            ))}
          </div>
          <Field
            id="store-endpoint"
            name="endpoint"
            label="Address"
            value={endpoint}
            onChange={(e) => setEndpoint(e.target.value)}
            errors={of("endpoint")}
            autoComplete="off"
            required
          />
          <div className="grid grid-cols-2 gap-3">
            <Field id="store-region" name="region" label="Region" value={region} onChange={(e) => setRegion(e.target.value)} errors={of("region")} autoComplete="off" required />
            <Field id="store-bucket" name="bucket" label="Bucket" errors={of("bucket")} autoComplete="off" required />
          </div>
          <Field
            id="store-prefix"
            name="prefix"
            label="Prefix"
            hint="Empty, or parts that end with /, where the bucket holds other things too."
            errors={of("prefix")}
            autoComplete="off"
          />
          <div className="grid grid-cols-2 gap-3">
            <Field id="store-key" name="accessKeyId" label="Key" errors={of("accessKeyId")} autoComplete="off" required />
            <Field id="store-secret" name="secretAccessKey" type="password" label="Secret" errors={of("secretAccessKey")} autoComplete="new-password" required />
          </div>
        </>
      ) : (
        <Field
          id="store-path"
          name="path"
          label="Folder on the server"
          hint="The whole path, beginning with /; a mounted share or drive counts as a folder."
          errors={of("path")}
          autoComplete="off"
          required
        />
      )}
      <Field id="store-reason" name="reason" label="Why" errors={of("reason")} autoComplete="off" required />
      {result && "error" in result && !result.reply && <Notice kind="wrong">{result.error}</Notice>}
      <Button kind="act" type="submit" disabled={fetcher.state !== "idle"}>
        {fetcher.state === "idle" ? "Try and use it" : "Trying …"}
      </Button>
    </fetcher.Form>
  );
}
