import { createHash } from 'node:crypto';
import { cell, dataFile, namedRows, test } from 'red-lattice';
import { createRandom, type Random } from '../../src/cases/random.ts';
import { diffValues } from '../../src/checks/difference.ts';
import { formatValue } from '../../src/checks/format-value.ts';

class Stay {
  nights: unknown;
  constructor(nights: unknown) {
    this.nights = nights;
  }
}

const letters = 'abc d"\n.';

function makeValue(random: Random, depth: number): unknown {
  const deeper = (): unknown => makeValue(random, depth - 1);
  const many = (): number => random.pick([0, 1, 3, 8, depth > 2 ? 12 : 4]);
  const list = (): unknown[] => Array.from({ length: many() }, deeper);
  const plain = [0, -0, 12.5, true, null, undefined, 7n, Symbol('berth'), 'x'.repeat(random.integer(0, 90)), random.text(random.integer(0, 12), letters)];
  if (depth === 0) return random.pick([...plain, new Date(0), /ab+/g, () => 1, Stay, new Error('fog'), Uint8Array.of(1, 2), new Date(Number.NaN)]);
  const kind = random.integer(0, 6);
  if (kind === 0) return list();
  if (kind === 1) return new Map(list().map((value, i) => [random.pick<unknown>([`k${i}`, i, { i }]), value]));
  if (kind === 2) return new Set(list());
  if (kind === 3) return new Stay(deeper());
  if (kind === 4) return Object.assign(list(), { more: deeper() });
  return Object.fromEntries(list().map((value, i) => [random.pick([`key${i}`, `a ${i}`, `${i}`]), value]));
}

/** Two texts of several lines, or of one, with some differences. */
function makeTexts(random: Random): [string, string] {
  const word = (): string => random.pick(['north', 'south', 'quay', 'berth N4', '', 'a'.repeat(30), '12.5', `due: ${random.integer(0, 99)}`]);
  const line = (): string => Array.from({ length: random.pick([1, 2, 6, 30]) }, word).join(' ');
  const lines = Array.from({ length: random.pick([1, 1, 2, 5, 30]) }, line);
  const others = lines.flatMap((text) => {
    const change = random.integer(0, 11);
    if (change === 0) return [];
    if (change === 1) return [text, line()];
    if (change === 2) return [text.replace(/\w+/, word)];
    if (change === 3) return [`${text} ${word()}`];
    return [text];
  });
  const write = random.pick<(texts: string[]) => string>([(texts) => JSON.stringify(texts.join('\n')), (texts) => texts.join('\n')]);
  return [write(lines), write(others)];
}

const hash = (text: string): string => createHash('sha256').update(text).digest('hex').slice(0, 8);

/** A change of what is shown changes this file. Other tests say what is right; this one sees what they do not. */
export const shown = test('a value, and the difference of two texts, are shown as before: seed {seed}', {
  cases: dataFile('shown.csv', { columns: { seed: cell.integer, characters: cell.integer, value: cell.text, lines: cell.integer, difference: cell.text } }),
}, ({ row: { seed }, check }) => {
  const random = createRandom(`shown ${seed}`);
  const text = formatValue(makeValue(random, random.integer(1, 4)));
  const lines = diffValues(...makeTexts(random));
  check.columns({ characters: text.length, value: hash(text), lines: lines.length, difference: hash(JSON.stringify(lines)) });
});

const long = Array.from({ length: 300 }, (_, i) => `${i}`.padEnd(98, '-'));

export const cut = test('of {what} of 300 texts, 200 are shown, and a sign for the others', {
  cases: namedRows<{ what: string; value: unknown }>({
    list: { what: 'a list', value: long },
    set: { what: 'a set', value: new Set(long) },
    map: { what: 'a map', value: new Map(long.map((text, i) => [i % 10, text].reverse() as [unknown, unknown])) },
    object: { what: 'an object', value: Object.fromEntries(long.map((text, i) => [`k${i}`, text])) },
    nested: { what: 'a list with lists', value: [long.slice(0, 150), long.slice(150), { never: 'shown' }, 7] },
  }),
}, ({ row: { what, value }, check }) => {
  const lines = formatValue(value).split('\n');
  const isNested = what === 'a list with lists';
  // A map also shows a digit for each text.
  check.equal(lines.filter((line) => line.includes('---')).length, what === 'a map' ? 199 : 200);
  check.equal(
    lines.filter((line) => line.includes('…')).map((line) => line.trim()),
    isNested ? ['…,', '…,'] : ['…,'],
  );
  check.equal(lines.length, (what === 'a map' ? 199 : 200) + (isNested ? 8 : 3));
});
