import { runProgram } from "./programs.mjs";

// node scripts/run.mjs FILE.ts [arguments]: runs a TypeScript program.
process.setSourceMapsEnabled(true);
// The program finds its arguments where it would find them if Node ran it by itself.
const [program] = process.argv.splice(2, 1);
await runProgram(/** @type {string} */ (program));
