/** What a command ends with: 0 all well, 1 something is damaged or failed and is named, 2 wrong input. */
export type ExitCode = 0 | 1 | 2;

export const say = (line = ""): void => void process.stdout.write(`${line}\n`);
export const complain = (line: string): void => void process.stderr.write(`ypostasis: ${line}\n`);

export const isoSeconds = (instant: number): string => new Date(instant).toISOString().replace(/\.000Z$/, "Z");
