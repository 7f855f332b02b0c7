import { parse } from "yaml";

/** What really answers: names by the last two parts of their address, and what listens at each address and port. */
export type Answers = { clockOff: number; names: Map<string, string>; listens: Listening[] };
/** `http` gives a status for every path, `signIn` only to the account of checks. */
export type Listening = { at: string; port: number; http: Map<string, number>; signIn: string[] };

type Raw = { clockOff?: number; names: Record<string, string>; listens: Record<string, { http?: Record<string, number>; signIn?: string[] }> };

export function readAnswers(text: string): Answers {
  const raw = parse(text) as Raw;
  return {
    clockOff: raw.clockOff ?? 0,
    names: new Map(Object.entries(raw.names)),
    listens: Object.entries(raw.listens).map(([where, what]) => {
      const [at, port] = where.split(":");
      return { at: at!, port: Number(port), http: new Map(Object.entries(what?.http ?? {})), signIn: what?.signIn ?? [] };
    }),
  };
}
