import { formatThousands } from '../../problems/format-thousands.ts';
import { throwProblem } from '../../problems/problem-error.ts';
import type { RowEntry } from '../row.ts';
import { formatShortValue } from '../values.ts';
import type { RowTyping } from './columns.ts';
import { convertItem, type Path } from './items.ts';
import { settleAll } from './typing.ts';

/** The maximum length of a document, in characters. It is held in memory. */
const MAX_DOCUMENT_LENGTH = 50_000_000;
/** The number of rows in a batch. */
const MAX_BATCH_ITEMS = 256;

/** Reads a JSON or YAML document: a list of rows, at its top or under the path `at`. */
export async function* readDocument(
  text: AsyncIterable<string>,
  file: string,
  format: 'json' | 'yaml',
  at: string | undefined,
  typed: RowTyping,
): AsyncGenerator<readonly RowEntry[]> {
  const whole = await readWholeText(text, file);
  const path = at === undefined || at === '' ? [] : at.split('.').map((key) => (/^\d+$/.test(key) ? Number(key) : key));
  const read = format === 'json' ? (await import('./json.ts')).readJson : (await import('./yaml.ts')).readYaml;
  const { document, placeOf, linesOf } = await read(whole, file, path);
  const list = findValue(document, path, (key, known) => throwProblem({ code: 'unknown-path', path: at ?? '', key, known, at: placeOf(0) }));
  if (!Array.isArray(list)) return throwProblem({ code: 'expected-array', at: placeOf(0), path: at, got: formatShortValue(list) });
  for (let from = 0; from < list.length; from += MAX_BATCH_ITEMS) {
    const rows: readonly unknown[] = list.slice(from, from + MAX_BATCH_ITEMS);
    yield settleAll(rows.map((row, i) => convertItem(row, `item ${from + i + 1}`, typed, (key) => placeOf(from + i, key), linesOf(from + i))));
  }
}

async function readWholeText(text: AsyncIterable<string>, file: string): Promise<string> {
  let whole = '';
  for await (const chunk of text) {
    whole += chunk;
    if (whole.length > MAX_DOCUMENT_LENGTH)
      throwProblem({
        code: 'unreadable-file',
        path: decodeURIComponent(file.split('/').at(-1) ?? file),
        reason: `it is longer than ${formatThousands(MAX_DOCUMENT_LENGTH)} characters. Use JSON Lines or CSV, which are streamed.`,
      });
  }
  return whole;
}

/** The value at a path of a document. `onMissing` is called for a key that an object on the path does not have. */
function findValue(document: unknown, path: Path, onMissing: (key: string, known: readonly string[]) => never): unknown {
  let value = document;
  for (const key of path) {
    if (typeof value === 'object' && value !== null && !Array.isArray(value) && !Object.hasOwn(value, key)) onMissing(String(key), Object.keys(value));
    value = (value as Record<string | number, unknown> | null | undefined)?.[key];
  }
  return value;
}
