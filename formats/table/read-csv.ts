import { CsvError, parse } from "csv-parse";
import { pipeline, Readable } from "node:stream";

/** A table file that cannot be read, with the line it went wrong at. */
export class TableFileError extends Error {
  override readonly name = "TableFileError";
  constructor(
    readonly line: number,
    message: string,
  ) {
    super(message);
  }
}

export type TableRow = { line: number; cells: string[] };

const MOST_CELL = 100_000;
const SNIFFED_BYTES = 65_536;

/**
 * Comma-separated values (RFC 4180) row by row, the heads first; also with semicolons or tabs,
 * whichever stands most often in the first line. Memory does not follow the size of the file.
 * Throws `TableFileError` for what is not UTF-8, for quotes that do not fit, and for rows of other lengths.
 */
export async function* readCsv(bytes: Uint8Array): AsyncGenerator<TableRow> {
  const start = new TextDecoder().decode(bytes.subarray(0, SNIFFED_BYTES));
  if ((bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff)) throw new TableFileError(1, "the file is in UTF-16; save it as CSV in UTF-8");
  const parser = parse({ bom: true, delimiter: separatorOf(start), info: true, max_record_size: MOST_CELL, skip_empty_lines: true });
  // What goes wrong on either side is thrown by the loop below.
  pipeline(Readable.from(slices(bytes)), parser, () => undefined);
  try {
    for await (const { record, info } of parser as AsyncIterable<{ record: string[]; info: { lines: number } }>) yield { line: info.lines, cells: record };
  } catch (error) {
    if (error instanceof TableFileError) throw error;
    if (error instanceof CsvError) throw new TableFileError(Number(error["lines"] ?? 1), csvWords(error));
    throw error;
  }
}

/** Pieces of a megabyte, each decoded strictly, so that a wrong encoding is met where it stands. */
function* slices(bytes: Uint8Array): Generator<string> {
  const decoder = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true });
  let line = 1;
  for (let at = 0; at < bytes.length; at += 1 << 20) {
    const piece = bytes.subarray(at, at + (1 << 20));
    try {
      yield decoder.decode(piece, { stream: at + (1 << 20) < bytes.length });
    } catch {
      throw new TableFileError(line, "the file is not in UTF-8 near here; save it as CSV in UTF-8");
    }
    for (const byte of piece) if (byte === 10) line++;
  }
}

/** Of comma, semicolon and tab the one that stands most often outside quotes in the first line. */
function separatorOf(start: string): string {
  const line = start.replace(/"[^"]*"/g, "").split(/\r?\n/, 1)[0]!;
  const count = (c: string): number => line.split(c).length - 1;
  return [",", ";", "\t"].reduce((best, c) => (count(c) > count(best) ? c : best));
}

function csvWords(error: CsvError): string {
  switch (error.code) {
    case "CSV_RECORD_INCONSISTENT_FIELDS_LENGTH":
    case "CSV_RECORD_INCONSISTENT_COLUMNS":
      return "this row has another number of cells than the heads; put text that holds the separator in quotes";
    case "CSV_QUOTE_NOT_CLOSED":
      return "a quote is opened and never closed";
    case "INVALID_OPENING_QUOTE":
    case "CSV_INVALID_CLOSING_QUOTE":
      return "a quote stands inside a cell; double it and put the whole cell in quotes";
    case "CSV_MAX_RECORD_SIZE":
      return `a row is longer than ${MOST_CELL} characters; a quote may be missing its partner`;
    default:
      return error.message;
  }
}
