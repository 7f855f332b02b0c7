import { type ShouldRevalidateFunctionArgs, useSearchParams } from "react-router";

/** Search parameters that carry the question from page to page. */
const CARRIED = ["at", "lost"] as const;

/** The needle and the loss as every link carries them on. */
export function useQuestionSearch(): (more?: Record<string, string | null>) => string {
  const [params] = useSearchParams();
  return (more = {}) => {
    const next = new URLSearchParams();
    for (const key of CARRIED) for (const value of params.getAll(key)) next.append(key, value);
    for (const [key, value] of Object.entries(more)) {
      next.delete(key);
      if (value !== null) next.set(key, value);
    }
    const text = next.toString();
    return text === "" ? "" : `?${text}`;
  };
}

/** Changes parameters of this page's address and leaves the others. */
export function useAddress(): (change: Record<string, string | readonly string[] | null>, replace?: boolean) => void {
  const [, setParams] = useSearchParams();
  return (change, replace = false) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        for (const [key, value] of Object.entries(change)) {
          next.delete(key);
          for (const one of value === null ? [] : typeof value === "string" ? [value] : value) next.append(key, one);
        }
        return next;
      },
      { replace, preventScrollReset: true },
    );
}

/** What a loader reads the question from. */
export function askedQuestion(request: Request): { at: string | null; lost: string[] } {
  const { searchParams } = new URL(request.url);
  return { at: searchParams.get("at"), lost: searchParams.getAll("lost").flatMap((text) => text.split(",")).filter(Boolean) };
}

/** An instant as the address writes it: to the minute where it is one. */
export const instantText = (instant: number): string => new Date(instant).toISOString().replace(/:00\.000Z$/, "Z").replace(/\.000Z$/, "Z");

/** Parameters that arrange what a page has already: nothing is read anew for them. */
const ARRANGING = ["filter", "sort"];

/** For `shouldRevalidate` of routes whose lists are filtered and sorted in the browser. */
export function unlessOnlyArranged({ currentUrl, nextUrl, formMethod, defaultShouldRevalidate }: ShouldRevalidateFunctionArgs): boolean {
  const rest = (url: URL): string => {
    const params = new URLSearchParams(url.search);
    for (const key of ARRANGING) params.delete(key);
    return url.pathname + params.toString();
  };
  if (formMethod || currentUrl.search === nextUrl.search) return defaultShouldRevalidate;
  return rest(currentUrl) === rest(nextUrl) ? false : defaultShouldRevalidate;
}
