import { type Document, LineCounter, parseDocument } from "yaml";

/** Options under which estate files are read: merge keys are keys like any other. */
const READING = { prettyErrors: false, merge: false } as const;

export type YamlReading = { document: Document; lines: LineCounter; contents: unknown; errors: { line: number; message: string }[] };

/** YAML 1.2 (of which JSON is a part), one document, without aliases: what stands for much must not be written in little. */
export function readYaml(text: string): YamlReading {
  const lines = new LineCounter();
  const document = parseDocument(text, { ...READING, lineCounter: lines });
  const errors = document.errors.map((e) => ({ line: lines.linePos(e.pos[0]).line, message: `not valid YAML: ${e.message}` }));
  if (errors.length > 0) return { document, lines, contents: undefined, errors };
  try {
    return { document, lines, contents: document.toJS({ maxAliasCount: 0 }), errors };
  } catch (error) {
    return { document, lines, contents: undefined, errors: [{ line: 1, message: `aliases are not allowed here: write the value out (${(error as Error).message})` }] };
  }
}

/** To be changed in place, with its comments. */
export const yamlToEdit = (text: string): Document => parseDocument(text, READING);

/** A document as it is written back; lines stay as long as they were. */
export const rewrittenYaml = (document: Document): string => document.toString({ lineWidth: 0 });
