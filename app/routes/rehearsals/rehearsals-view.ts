import type { Route } from "./+types/route";

/** What the page's loader gives, where there is an estate. */
export type RehearsalsView = NonNullable<Route.ComponentProps["loaderData"]["view"]>;
