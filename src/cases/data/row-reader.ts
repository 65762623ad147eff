import { CellError } from './cells.ts';
import { isVisibleAscii } from './csv.ts';
import type { IndexedColumn } from './headings.ts';

/** Reads the cells of a record into a row; nothing where one of them needs a closer look: an empty one, or one that is not what it should be. */
export type ReadRow = (cells: readonly string[]) => object | undefined;

/** With more columns, or for a few records, compiled code is not faster. */
const MAX_COMPILED_COLUMNS = 200;
const COMPILE_AFTER_RECORDS = 100;

/**
 * Reads records of which all cells are as they should be, as those of most files are.
 *
 * Written out for its columns, it costs half of going from column to column, since each calls one reader only. It is compiled where that is
 * allowed, as it is not in every page; nothing that stands in a file stands in its code.
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
