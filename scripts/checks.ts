import { spawn } from "node:child_process";

const COMMANDS = {
  types: [
    ["node_modules/@react-router/dev/bin.js", "typegen"],
    ["node_modules/typescript/bin/tsc"],
  ],
  lint: [
    // What has not changed is not looked at again; a fresh checkout has no cache and looks at everything.
    ["node_modules/eslint/bin/eslint.js", ".", "--cache", "--cache-strategy", "content", "--cache-location", "node_modules/.cache/eslint"],
    ["node_modules/dependency-cruiser/bin/dependency-cruise.mjs", "--config", ".dependency-cruiser.cjs", "core", "formats", "engine", "standins", "server", "app", "cli"],
  ],
  unit: [["node_modules/vitest/vitest.mjs", "run", "--project", "unit"]],
  /** Unit and system tests side by side. */
  tests: [["node_modules/vitest/vitest.mjs", "run"]],
  browser: [["node_modules/@playwright/test/cli.js", "test"]],
} as const satisfies Record<string, readonly (readonly string[])[]>;
type Check = keyof typeof COMMANDS;

function runCommand(command: readonly string[]): Promise<boolean> {
  return new Promise((done) => {
    const child = spawn(process.execPath, [...command], { stdio: ["ignore", "pipe", "inherit"] });
    let text = "";
    child.stdout.on("data", (bytes: Buffer) => {
      text += bytes.toString();
      process.stdout.write(bytes);
    });
    // A checker that could read nothing finds nothing wrong.
    child.once("close", (code) => done(code === 0 && !/ \(0 modules/.test(text)));
  });
}

async function runCheck(name: Check): Promise<boolean> {
  const began = Date.now();
  for (const command of COMMANDS[name])
    if (!(await runCommand(command))) {
      console.error(`\n${name} failed`);
      return false;
    }
  console.log(`${name}: ${Math.round((Date.now() - began) / 1000)} s`);
  return true;
}

/** Runs groups of checks one after the other, those of a group side by side; ends with 1 after a group in which one failed. */
export async function runChecks(...groups: readonly (readonly Check[])[]): Promise<void> {
  const began = Date.now();
  for (const group of groups) if ((await Promise.all(group.map(runCheck))).includes(false)) process.exit(1);
  console.log(`All passed in ${Math.round((Date.now() - began) / 1000)} s.`);
}
