import { useRouteLoaderData } from "react-router";
import type { FrameData } from "./frame-data.ts";

/** Whether the person signed in may act; the server enforces it, controls only say so beforehand. */
export const useMayAct = (): boolean => useRouteLoaderData<FrameData>("frame/frame")?.who.role === "coordinator";
