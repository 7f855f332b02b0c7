import { readFileSync } from "node:fs";

/** The demo's estate file. */
export const demoText = (): string => readFileSync("demo/estate.yaml", "utf8");
