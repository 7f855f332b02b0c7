import type { Pace } from "#standins/world/protocol.ts";
import { act, type ActContext } from "./act.ts";

/** Changes how fast the stand-in world's time goes. */
export function setPace(context: ActContext, pace: Pace): Promise<void> {
  return act(context, { act: "pace changed", subject: `${pace.mode} ${pace.factor}`, reason: "by hand" }, async () => context.app.world.setPace(pace));
}
