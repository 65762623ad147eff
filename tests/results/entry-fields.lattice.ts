import { readFileSync } from 'node:fs';
import { suite, test } from 'red-lattice';
import type { JournalEntry } from '../../src/results/journal/entries.ts';
import { findEntryFault } from '../../src/results/journal/shape.ts';

/** An entry of each type with all its fields. */
const entries: readonly JournalEntry[] = readFileSync(new URL('entries.jsonl', import.meta.url), 'utf8')
  .trim()
  .split('\n')
  .map((line) => JSON.parse(line));

/** The values that replace a field, by name. */
const others = { absent: undefined, null: null, true: true, '-1': -1, '0.5': 0.5, text: 'x', '[text]': ['x'], '[1]': [1], '{}': {}, '{a:[]}': { a: [] } };

type Path = readonly (string | number)[];

/** The paths of all fields and items in a value. */
const pathsIn = (value: unknown, path: Path = []): Path[] =>
  typeof value === 'object' && value !== null ? Object.entries(value).flatMap(([key, inner]) => [[...path, key], ...pathsIn(inner, [...path, key])]) : [];

function replaceAt(value: any, [key, ...rest]: Path, by: unknown): unknown {
  if (key === undefined) return by;
  const copy = Array.isArray(value) ? [...value] : { ...value };
  copy[key as never] = replaceAt(copy[key as never], rest, by) as never;
  return copy;
}

export const entryFields = suite('an entry of a journal', [
  test('is valid with all its fields', ({ check }) => {
    check.equal(new Set(entries.map(({ type }) => type)).size, 25);
    for (const entry of entries) check.equal(findEntryFault(entry), undefined);
  }),

  // Each line lists the valid replacements of a field and the messages for the invalid ones.
  test('has fields of the expected types only', async ({ check }) => {
    const lines = entries.flatMap((entry) =>
      pathsIn(entry)
        .filter(([first]) => first !== 'type')
        .map((path) => {
          const faults = Object.entries(others).map(([name, other]) => [name, findEntryFault(replaceAt(entry, path, other) as JournalEntry)] as const);
          const valid = faults.flatMap(([name, fault]) => (fault === undefined ? [name] : []));
          const said = [...new Set(faults.flatMap(([, fault]) => fault ?? []))];
          return `${entry.type}.${path.join('.')}: ${valid.join(' ') || 'nothing else'}${said.map((text) => `; ${text}`).join('')}`;
        }),
    );
    await check.file('entry-fields.txt', `${lines.join('\n')}\n`);
  }),
]);
