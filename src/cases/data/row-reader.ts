import { CellError } from './cells.ts';
import { isVisibleAscii } from './csv.ts';
import type { IndexedColumn } from './headings.ts';

/** Reads the cells of a record into a row. Returns undefined if one of them needs a closer look: it is empty or invalid. */
export type ReadRow = (cells: readonly string[]) => object | undefined;

/** With more columns, or for a few records, compiled code is not faster. */
const MAX_COMPILED_COLUMNS = 200;
const COMPILE_AFTER_RECORDS = 100;

/**
 * Creates a reader for records of which all cells are valid, as in most files.
 *
 * Code that is compiled for the columns takes half the time of a loop over them, since each call site has one reader only. Pages can forbid
 * compiling. The code contains nothing from the file.
 */
export function compileRowReader(columns: readonly IndexedColumn[]): ReadRow {
  const readers = columns.flatMap(({ reads }) => (reads.as === 'cell' ? [reads.reader.read] : []));
  const canRead = readers.length === columns.length && columns.length <= MAX_COMPILED_COLUMNS;
  let requested = 0;
  let read: ReadRow | undefined;
  return (cells) => {
    if (canRead && requested++ === COMPILE_AFTER_RECORDS) read = compiled(columns, readers);
    return read?.(cells);
  };
}

function compiled(columns: readonly IndexedColumn[], readers: readonly unknown[]): ReadRow | undefined {
  const all = (name: string): string => columns.map((_, i) => `${name}${i}`).join(', ');
  const lines = columns.flatMap(({ index }, i) => [
    `const text${i} = cells[${index}];`,
    `if (!isInk(text${i}.charCodeAt(0)) || !isInk(text${i}.charCodeAt(text${i}.length - 1))) return undefined;`,
    `const value${i} = read${i}(text${i});`,
    `if (value${i} instanceof Misread) return undefined;`,
  ]);
  const row = columns.map((_, i) => `[name${i}]: value${i}`).join(', ');
  const code = `const [${all('read')}] = readers; const [${all('name')}] = names; return (cells) => { ${lines.join('\n')} return { ${row} }; };`;
  try {
    const names = columns.map(({ property }) => property);
    return new Function('readers', 'names', 'isInk', 'Misread', code)(readers, names, isVisibleAscii, CellError) as ReadRow;
  } catch {
    return undefined;
  }
}
