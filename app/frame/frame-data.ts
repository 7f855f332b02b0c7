import type { Route } from "./+types/frame";

/** What the frame's loader gives to all that stands in it. */
export type FrameData = Route.ComponentProps["loaderData"];
