import { countWords, listWords } from "#core/wording/amounts.ts";
import { Notice } from "../../ui/notice.tsx";
import type { PreviewResult } from "./actions.ts";
import { ChangedFields } from "./item-change.tsx";

export type Preview = PreviewResult["preview"];

const ORDER = ["appears", "changes", "goes"] as const;
const MANY = { appears: "appear", goes: "go", changes: "change" } as const;
const OPEN_MOST = 12;

/** What would appear, change and go, item by item. */
export function Difference({ preview }: { preview: Preview }) {
  if (preview.total === 0) return <Notice kind="know">The file says what the estate says already.</Notice>;
  return (
    <section aria-label="What it would change" className="text-sm">
      {preview.flows > 0 && (
        <p>{countWords(preview.flows, "observed connection")} would be taken in; of those known already the counts are added. The estate itself stays as it is.</p>
      )}
      {ORDER.map((change) => {
        const some = preview.differences.filter((d) => d.change === change);
        if (some.length === 0) return null;
        return (
          <details key={change} open={some.length < OPEN_MOST} className="border-b border-line py-1">
            <summary className={`cursor-pointer font-semibold ${change === "goes" ? "text-late" : ""}`}>
              {countWords(some.length, "item")} {some.length === 1 ? change : MANY[change]}
            </summary>
            <ul className="pl-4">
              {some.map((d) => (
                <li key={`${d.kind}/${d.id}`}>
                  <span className="text-soft">{d.kind} </span>
                  <span className="figures">{d.id}</span>
                  <ChangedFields fields={d.fields} />
                </li>
              ))}
            </ul>
          </details>
        );
      })}
      {preview.total > preview.differences.length && (
        <p className="text-soft">
          The first {preview.differences.length} of {preview.total} are shown.
        </p>
      )}
      {preview.pointsOfGoing.length > 0 && (
        <Notice kind="know">
          Points of machines that go stay in their stores: {listWords(preview.pointsOfGoing.map((p) => `${countWords(p.points, "point")} of ${p.machine}`))}.
        </Notice>
      )}
    </section>
  );
}
