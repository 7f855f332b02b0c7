#!/usr/bin/env node
import { dirname } from "node:path";
import { fileURLToPath } from "node:url";
import { runProgram } from "../scripts/programs.mjs";

const { main } = await runProgram("cli/main.ts", dirname(dirname(fileURLToPath(import.meta.url))));
process.exitCode = await main(process.argv.slice(2));
