import { ready, startDemo } from "./installation.ts";

/** Starts the demo in the folder that E2E_DATA names, waits until it stands, and leaves it running. */
const data = process.env["E2E_DATA"];
if (!data) throw new Error("E2E_DATA names the folder");
const began = Date.now();
const demo = startDemo(data);
await ready(demo);
console.log(`the demo stood after ${Math.round((Date.now() - began) / 1000)} s`);
demo.stdout?.destroy();
demo.unref();
process.exit(0);
