import { Command, CommanderError } from "commander";
import { EngineError } from "#engine/errors.ts";
import { addEstateCommands } from "./estate-commands.ts";
import { complain, type ExitCode } from "./output.ts";
import { addProjectCommand } from "./project-command.ts";
import { addStoreCommands } from "./store-commands.ts";

/** Runs the command line; resolves with the exit code. */
export async function main(argv: readonly string[]): Promise<ExitCode> {
  let code: ExitCode = 0;
  const finish = async (work: Promise<ExitCode>): Promise<void> => {
    code = await work;
  };
  const program = new Command("ypostasis")
    .description("Protects, replicates, verifies and brings back copies, and projects what an outage would cost. Needs neither web server nor database.")
    .exitOverride()
    .configureOutput({ outputError: (text) => complain(text.replace(/^error: /, "").trim()) })
    .addHelpText("after", "\nExit codes: 0 all well; 1 something is damaged or failed, named on standard error; 2 wrong input.");
  addProjectCommand(program, finish);
  addEstateCommands(program, finish);
  addStoreCommands(program, finish);
  for (const command of program.commands) command.exitOverride().configureOutput({ outputError: (text) => complain(text.replace(/^error: /, "").trim()) });
  try {
    await program.parseAsync(argv, { from: "user" });
    return code;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    if (error instanceof EngineError) {
      complain(error.message);
      return error.kind === "input" || (error.kind === "missing" && error.data["code"] === "ENOENT") ? 2 : 1;
    }
    throw error;
  }
}
