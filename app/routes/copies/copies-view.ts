import type { Route } from "./+types/route";

/** What the page's loader gives, where there is an estate. */
export type CopiesView = NonNullable<Route.ComponentProps["loaderData"]["view"]>;
