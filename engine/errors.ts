/** The kinds of failure the engine knows; tests and callers ask for the kind, never for the words. */
export type EngineErrorKind =
  | "missing" // a blob, point or folder is not there
  | "damaged" // bytes do not have the digest they should have
  | "full" // no room left
  | "unreachable" // the store or source does not answer
  | "refused" // it answers, but will not let us
  | "input" // what was asked for makes no sense
  | "stopped"; // somebody asked us to stop

export class EngineError extends Error {
  override readonly name = "EngineError";
  constructor(
    readonly kind: EngineErrorKind,
    message: string,
    readonly data: Readonly<Record<string, unknown>> = {},
    options?: { cause?: unknown },
  ) {
    super(message, options);
  }
}

export const isEngineError = (error: unknown, kind?: EngineErrorKind): error is EngineError =>
  error instanceof EngineError && (kind === undefined || error.kind === kind);

/** Turns an operating-system error into ours, with a sentence a person can act on. */
export function fromSystemError(error: unknown, doing: string): EngineError {
  if (error instanceof EngineError) return error;
  const code = (error as NodeJS.ErrnoException | undefined)?.code;
  const words = error instanceof Error ? error.message : String(error);
  switch (code) {
    case "ENOENT":
      return new EngineError("missing", `${doing}: it is not there`, { code }, { cause: error });
    case "ENOSPC":
    case "EDQUOT":
      return new EngineError("full", `${doing}: no room is left; free some room or choose another store`, { code }, { cause: error });
    case "EACCES":
    case "EPERM":
    case "EROFS":
      return new EngineError("refused", `${doing}: permission denied`, { code }, { cause: error });
    case undefined:
      return new EngineError("unreachable", `${doing}: ${words}`, {}, { cause: error });
    default:
      return new EngineError("unreachable", `${doing}: ${code}`, { code }, { cause: error });
  }
}
