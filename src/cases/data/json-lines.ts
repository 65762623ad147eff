import { throwProblem } from '../../problems/problem-error.ts';
import type { RowEntry } from '../row.ts';
import type { RowTyping } from './columns.ts';
import { MAX_RECORD_LENGTH } from './csv.ts';
import { convertItem } from './items.ts';
import { findDuplicateKey, findSyntaxError, hasDuplicateKeys, tooDeep } from './json-faults.ts';
import { buildInvalidEntry, settleAll } from './typing.ts';

/** Reads JSON Lines: one row per line. */
export async function* readJsonLines(
  text: AsyncIterable<string>,
  file: string,
  comment: string | undefined,
  typed: RowTyping,
): AsyncGenerator<readonly RowEntry[]> {
  let rest = '';
  let line = 0;
  const read = (given: string): RowEntry | Promise<RowEntry> | undefined => {
    line++;
    const raw = given.trim();
    if (raw === '' || (comment !== undefined && raw.startsWith(comment))) return undefined;
    const name = `line ${line}`;
    const place = { file, line, column: 1 };
    let item: unknown;
    try {
      item = JSON.parse(raw);
    } catch {
      return findSyntaxError(raw).then(({ reason, column }) =>
        buildInvalidEntry(name, { location: place }, { code: 'parse-error', reason, at: { ...place, column: given.indexOf(raw) + column } }),
      );
    }
    try {
      if (hasDuplicateKeys(raw, item))
        return findDuplicateKey(raw).then((found) =>
          buildInvalidEntry(
            name,
            { location: place },
            {
              code: 'duplicate-key',
              key: found?.key ?? '',
              at: { ...place, column: given.indexOf(raw) + (found?.column ?? 1) },
            },
          ),
        );
      // The column is searched by its key: precise enough in a line.
      return convertItem(item, name, typed, (key) => ({ ...place, column: key === undefined ? 1 : Math.max(0, given.indexOf(JSON.stringify(key))) + 1 }));
    } catch (error) {
      // A value that is nested too deeply causes a stack overflow.
      if (!(error instanceof RangeError)) throw error;
      return buildInvalidEntry(name, { location: place }, { code: 'parse-error', reason: tooDeep, at: place });
    }
  };
  const readAll = (lines: readonly string[]) => settleAll(lines.map(read).filter((entry) => entry !== undefined));
  for await (const chunk of text) {
    const whole = (rest + chunk).split('\n');
    rest = whole.pop() as string;
    const entries = await readAll(whole);
    if (entries.length) yield entries;
    if (rest.length > MAX_RECORD_LENGTH) throwProblem({ code: 'record-too-long', limit: MAX_RECORD_LENGTH, at: { file, line: line + 1, column: 1 } });
  }
  const last = await readAll([rest]);
  if (last.length) yield last;
}
