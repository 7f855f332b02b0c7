import { readFile } from "node:fs/promises";
import type { Command } from "commander";
import { steadyCopies } from "#core/copies/legs.ts";
import { UnknownLossError } from "#core/outage/closure.ts";
import { parseInstant } from "#core/outage/question.ts";
import { assessReadiness, chainOf } from "#core/readiness/readiness.ts";
import { durationWords } from "#core/wording/amounts.ts";
import { EngineError } from "#engine/errors.ts";
import { EstateFileError, readEstate } from "#formats/estate/read-estate.ts";
import { type ExitCode, isoSeconds, say } from "./output.ts";

type Options = { estate: string; lose: string[]; at: string; json?: boolean };

export function addProjectCommand(program: Command, finish: (work: Promise<ExitCode>) => Promise<void>): void {
  program
    .command("project")
    .summary("what every service would lose and how long it would be away")
    .description("Projects an outage from an estate file: for every service the data lost, the time until it is serviceable, and why. Recovery points are those the file lists, otherwise those the policies give in steady state; it says which.")
    .requiredOption("--estate <file>", "estate file (YAML or JSON), see docs/estate-format.md")
    .requiredOption("--lose <id>", "site, host, store or link that is lost; may be repeated", (id: string, all: string[]) => [...all, id], [] as string[])
    .requiredOption("--at <instant>", "the strike, such as 2026-11-24T10:00Z")
    .option("--json", "one JSON object")
    .action((o: Options) => finish(project(o)));
}

async function project(o: Options): Promise<ExitCode> {
  const at = parseInstant(o.at);
  if (at === undefined) throw new EngineError("input", `--at ${o.at} is no instant; write one with its offset, such as 2026-11-24T10:00Z`);
  const text = await readFile(o.estate, "utf8").catch((error: unknown) => {
    throw new EngineError("input", `The estate file ${o.estate} cannot be read (${(error as NodeJS.ErrnoException).code})`, {}, { cause: error });
  });
  try {
    const { estate, points } = readEstate(text);
    const readiness = assessReadiness(estate, points ?? steadyCopies(estate, at), o.lose, at);
    const source = points ? "listed in the file" : "from the policies in steady state";
    if (o.json) {
      const services = readiness.services.map((s) => ({
        id: s.service,
        lossSeconds: s.loss?.seconds ?? (s.verdict === "cannot-return" ? null : 0),
        recoverySeconds: s.recovery?.serviceable ?? (s.verdict === "cannot-return" ? null : 0),
        verdict: s.verdict,
        reasons: [s.sentence, ...s.reasons],
        chain: chainOf(estate, readiness.runbook, s.service).map((l) => ({ step: l.step, start: l.start, finish: l.finish })),
      }));
      say(JSON.stringify({ at: isoSeconds(at), lost: o.lose, points: source, services }));
      return 0;
    }
    say(readiness.headline);
    say(`Recovery points are ${source}. Detection and decision are assumed.`);
    for (const s of readiness.services) {
      const loss = s.loss ? durationWords(s.loss.seconds) : "–";
      const away = s.recovery ? durationWords(s.recovery.serviceable) : "–";
      say(`${s.name.padEnd(24)} loses ${loss.padEnd(12)} away ${away.padEnd(12)} ${s.sentence}`);
    }
    return 0;
  } catch (error) {
    if (error instanceof EstateFileError) throw new EngineError("input", `The estate file ${o.estate} cannot be used:\n${error.message}`, {}, { cause: error });
    if (error instanceof UnknownLossError) throw new EngineError("input", `${error.message}; --lose takes an id from the estate file`, {}, { cause: error });
    throw error;
  }
}
