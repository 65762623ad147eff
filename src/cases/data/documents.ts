import type { Document, LineCounter } from 'yaml';
import { grouped } from '../../problems/grouped.ts';
import type { Place } from '../../problems/place.ts';
import { refuse } from '../../problems/problem.ts';
import type { Entry } from '../row.ts';
import { shortValue } from '../values.ts';
import { type Column, columnsFor, isMark, type StandardSchema, type Typed } from './columns.ts';
import { mostOfARecord } from './csv.ts';
import { type RawRecord, typeRecord } from './typing.ts';

/** A document longer than this is refused: it is held whole. Characters. */
const mostCharacters = 50_000_000;
/** Aliases are followed so often: more is a document that is made to swell. */
const mostAliases = 1000;

/** Reads a JSON or YAML document: a list of rows, at its top or under the path `at`. */
export async function* readDocument(
  text: AsyncIterable<string>,
  file: string,
  format: 'json' | 'yaml',
  at: string | undefined,
  typed: Typed,
): AsyncGenerator<readonly Entry[]> {
  let whole = '';
  for await (const piece of text) {
    whole += piece;
    if (whole.length > mostCharacters)
      refuse({
        code: 'unreadable-file',
        path: nameOf(file),
        reason: `it is longer than ${grouped(mostCharacters)} characters; JSON Lines and CSV are read as they stream`,
      });
  }
  const yaml = await import('yaml');
  const lines = new yaml.LineCounter();
  const document = yaml.parseDocument(whole.replace(/^\uFEFF/, ''), {
    lineCounter: lines,
    strict: true,
    uniqueKeys: true,
    ...(format === 'json' && { schema: 'json' as const }),
  });
  const [error] = document.errors;
  if (error) {
    const { line, col } = lines.linePos(error.pos[0]);
    const reason =
      (format === 'json' ? jsonError(whole) : undefined) ?? (error.message.split('\n')[0] as string).replace(/ at line \d+.*$/, '').replace(/:$/, '');
    refuse({ code: 'broken-document', reason, at: { file, line, column: col } });
  }
  const path = at === undefined || at === '' ? [] : at.split('.').map((key) => (/^\d+$/.test(key) ? Number(key) : key));
  const list = valueUnder(document, file, path);
  if (!Array.isArray(list)) refuse({ code: 'no-list', at: placeAt(document, lines, file, path), path: at, got: shortValue(list) });
  const rows = list as unknown[];
  for (let from = 0; from < rows.length; from += 256) {
    yield await Promise.all(
      rows
        .slice(from, from + 256)
        .map((row, i) => typeItem(row, typed, (key) => placeAt(document, lines, file, [...path, from + i, ...(key === undefined ? [] : [key])]))),
    );
  }
}

/** What the runtime says of a broken JSON text: it knows the format by its name. */
function jsonError(text: string): string | undefined {
  try {
    JSON.parse(text);
    return undefined;
  } catch (error) {
    return (error as Error).message.replace(/,? \.\.\..*$/s, '').replace(/ in JSON at position.*$/s, '');
  }
}

function valueUnder(document: Document, file: string, path: readonly (string | number)[]): unknown {
  try {
    let value: unknown = document.toJS({ maxAliasCount: mostAliases });
    for (const key of path) value = (value as Record<string | number, unknown> | null | undefined)?.[key];
    return value;
  } catch (error) {
    return refuse({ code: 'unreadable-file', path: nameOf(file), reason: (error as Error).message });
  }
}

const nameOf = (file: string): string => decodeURIComponent(file.split('/').at(-1) ?? file);

/** Where something in a document begins. */
function placeAt(document: Document, lines: LineCounter, file: string, path: readonly (string | number)[]): Place {
  for (let length = path.length; length >= 0; length--) {
    const node = length === 0 ? document.contents : document.getIn(path.slice(0, length), true);
    const offset = (node as { range?: [number, number, number] | null } | null | undefined)?.range?.[0];
    if (offset === undefined) continue;
    const { line, col } = lines.linePos(offset);
    return { file, line, column: col };
  }
  return { file, line: 1, column: 1 };
}

/** Reads JSON Lines: a row a line. */
export async function* readJsonLines(text: AsyncIterable<string>, file: string, comment: string | undefined, typed: Typed): AsyncGenerator<readonly Entry[]> {
  let rest = '';
  let line = 0;
  const read = (given: string): Promise<Entry> | undefined => {
    line++;
    const raw = given.trim();
    if (raw === '' || (comment !== undefined && raw.startsWith(comment))) return undefined;
    const place = { file, line, column: 1 };
    let row: unknown;
    try {
      row = JSON.parse(raw);
    } catch (error) {
      const problem = { code: 'broken-document', reason: (error as Error).message, at: place } as const;
      return Promise.resolve({ row: {}, name: `line ${line}`, place, problems: [problem] });
    }
    // The column is looked for from where the key stands: close enough for a line.
    return Promise.resolve(typeItem(row, typed, (key) => ({ ...place, column: key === undefined ? 1 : Math.max(0, given.indexOf(JSON.stringify(key))) + 1 })));
  };
  for await (const piece of text) {
    const whole = (rest + piece).split('\n');
    rest = whole.pop() as string;
    const entries = await Promise.all(whole.map(read).filter((entry) => entry !== undefined));
    if (entries.length) yield entries;
    if (rest.length > mostOfARecord) refuse({ code: 'long-record', limit: mostOfARecord, at: { file, line: line + 1, column: 1 } });
  }
  const last = rest === '' ? undefined : read(rest);
  if (last) yield [await last];
}

/** One item of a document as a row: it must be an object. */
function typeItem(item: unknown, { columns, schema }: Typed, placeOf: (key: string | undefined) => Place): Entry | Promise<Entry> {
  const place = placeOf(undefined);
  if (typeof item !== 'object' || item === null || Array.isArray(item))
    return { row: {}, place, problems: [{ code: 'not-an-object', got: shortValue(item), at: place }] };
  const values = item as Record<string, unknown>;
  const headings = Object.keys(values);
  if (Object.hasOwn(values, '__proto__')) return { row: {}, place, problems: [{ code: 'bad-heading', heading: '__proto__', at: placeOf('__proto__') }] };
  if (!columns && !schema && !headings.some(isMark)) return { row: values, place };
  const record: RawRecord = {
    place,
    lines: undefined,
    value: ({ heading }) => (Object.hasOwn(values, heading) ? values[heading] : undefined),
    isQuoted: () => false,
    at: (column) => placeOf(column && Object.hasOwn(values, column.heading) ? column.heading : undefined),
  };
  return typeRecord(record, { columns: columns ? columnsFor(columns, headings) : asTheyAre(headings), schema });
}

/** Columns of a document whose values are taken as they are. */
const asTheyAre = (headings: readonly string[]): Column[] =>
  columnsFor(undefined, headings).map((column) => (column.reads.as === 'mark' ? column : { ...column, reads: { as: 'schema', schema: anything } }));

const anything: StandardSchema<unknown> = { '~standard': { version: 1, vendor: 'red-lattice', validate: (value) => ({ value }) } };
