import { closeApplication, openApplication } from "../application.ts";

/** A server process without its pages, to be killed. Settings come as JSON in SETTINGS. */
const app = await openApplication(JSON.parse(process.env["SETTINGS"]!) as Parameters<typeof openApplication>[0], () => undefined);
app.coordinator.start();
process.send?.("ready");
process.on("disconnect", () => void closeApplication(app).then(() => process.exit(0)));
