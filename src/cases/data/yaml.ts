import type { Document, Node } from 'yaml';
import { throwProblem } from '../../problems/problem-error.ts';
import type { SourceLocation } from '../../problems/source-location.ts';
import { countLines, type ParsedDocument, type Path } from './items.ts';

/** The maximum number of aliases to resolve. Documents with more are treated as attacks. */
const MAX_ALIASES = 1000;

/** Reads a YAML document: its list of rows at the top, or under a path. */
export async function readYaml(text: string, file: string, path: Path): Promise<ParsedDocument> {
  const { LineCounter, parseDocument } = await import('yaml');
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, strict: true, uniqueKeys: true });
  const placeOf = (offset: number): SourceLocation => {
    const { line, col } = lines.linePos(offset);
    return { file, line, column: col };
  };
  const [error] = document.errors;
  if (error) {
    const at = placeOf(error.pos[0]);
    if (error.code === 'DUPLICATE_KEY') throwProblem({ code: 'duplicate-key', key: /^[^\s:]+/.exec(text.slice(error.pos[0]))?.[0] ?? '', at });
    const reason = reasons[error.code] ?? (error.message.split('\n')[0] as string).replace(/ at line \d+.*$/, '').replace(/:$/, '');
    throwProblem({ code: 'parse-error', reason, at });
  }
  const nodeAt = (whole: Path): Node | null | undefined => (whole.length === 0 ? document.contents : (document.getIn(whole, true) as Node | undefined));
  return {
    document: toValue(document, file),
    placeOf(item, key) {
      const whole = [...path, item, ...(key === undefined ? [] : [key])];
      for (let length = whole.length; length >= 0; length--) {
        const offset = nodeAt(whole.slice(0, length))?.range?.[0];
        if (offset !== undefined) return placeOf(offset);
      }
      return { file, line: 1, column: 1 };
    },
    linesOf(item) {
      const [begin, end] = nodeAt([...path, item])?.range ?? [0, 0];
      return end > begin ? countLines(placeOf(begin).line, placeOf(end - 1).line) : undefined;
    },
  };
}

function toValue(document: Document, file: string): unknown {
  try {
    return document.toJS({ maxAliasCount: MAX_ALIASES });
  } catch (error) {
    const reason = error instanceof ReferenceError ? `its aliases expand to more than ${MAX_ALIASES} nodes` : (error as Error).message;
    return throwProblem({ code: 'parse-error', reason, at: { file, line: 1, column: 1 } });
  }
}

const reasons: Readonly<Record<string, string>> = {
  MULTIPLE_DOCS: 'a second YAML document starts here. Put all rows into one list.',
};
