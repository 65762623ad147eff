import { range, table, test } from 'red-lattice';
import { writeDigits } from '../../src/cases/digits.ts';
import { DuplicateCounter } from '../../src/cases/duplicate-counter.ts';
import { isPlainIdentifier, MAX_WORD_LENGTH } from '../../src/cases/identifiers.ts';
import { IdentityCounter, type RowIdentity } from '../../src/cases/identity.ts';
import { formatCaseSlug } from '../../src/cases/ids.ts';
import { hashWord, NameHash, PreparedHash } from '../../src/cases/name-hash.ts';
import { HashSet64 } from '../../src/cases/name-table.ts';
import { createRandom } from '../../src/cases/random.ts';

export const words = test('{text} is a plain word: {isPlain}', {
  cases: table(
    ['text', 'isPlain'],
    [
      ['', false],
      ['x'.repeat(MAX_WORD_LENGTH), true],
      ['x'.repeat(MAX_WORD_LENGTH + 1), false],
      ...['a', 'z', 'A', 'Z', 'a0', 'a9', 'a.b', 'a_b', 'a+b', 'truth', 'nul', 'mono'].map((text) => [text, true] as const),
      ...['0a', '.a', '_a', '+a', 'a-b', 'a/b', 'a:b', 'a@b', 'a[b', 'a`b', 'a{b', 'a b', 'a,b', 'é', 'true', 'false', 'null', 'undefined'].map(
        (text) => [text, false] as const,
      ),
    ],
  ),
}, ({ row: { text, isPlain }, check }) => {
  check.equal(isPlainIdentifier(text), isPlain);
  // As a slug, a plain word stays as it is, without a hash.
  if (isPlain) check.equal(formatCaseSlug({ a: text }, undefined), `a=${text}`);
  const hash = new NameHash();
  check.equal(hash.word(text), isPlain);
  check.equal(hash.length, isPlain ? text.length : 0);
});

export const hashes = test('the hashes of a name do not depend on how it arrives: seed {seed}', { cases: range('seed', 1, 40) }, ({ row: { seed }, check }) => {
  const random = createRandom(`hashes ${seed}`);
  const [whole, parts] = [new NameHash(), new NameHash()];
  for (let round = 0; round < 10; round++) {
    let name = '';
    parts.clear();
    for (let i = random.integer(0, 6); i > 0; i--) {
      const text = random.text(random.integer(1, 12), 'abcxyz.=港');
      const number = random.pick([0, -0, 7, -2.5, 1e21, random.integer(0, 1e9)]);
      const kind = random.integer(0, 3);
      if (kind === 0) parts.text(text);
      else if (kind === 1) parts.prepared(new PreparedHash(text));
      else if (kind === 2) parts.number(number);
      else if (!parts.word(text)) parts.text(text);
      name += kind === 2 ? (Object.is(number, -0) ? '-0' : String(number)) : text;
    }
    whole.clear();
    whole.text(name);
    check.equal([parts.primaryHash, parts.secondaryHash, parts.length], [whole.primaryHash, whole.secondaryHash, name.length], name);
    check.holds(whole.primaryHash >= 0 && whole.secondaryHash > 0);
  }
});

export const spread = test('hashes of different names differ', ({ check }) => {
  const hash = new NameHash();
  const seen = { primary: new Set<number>(), secondary: new Set<number>(), word: new Set<number>() };
  const names = ['a', 'aa', 'aaa', 'ab', 'ba', 'abc', 'bac', 'cab', ...Array.from({ length: 2000 }, (_, i) => `n${i}`)];
  for (const name of names) {
    hash.clear();
    hash.text(name);
    seen.primary.add(hash.primaryHash);
    seen.secondary.add(hash.secondaryHash);
    seen.word.add(hashWord(`-${name}-`, 1, 1 + name.length));
  }
  check.equal([seen.primary.size, seen.secondary.size, seen.word.size], [names.length, names.length, names.length]);
  // Words have 30 bits, which do not depend on what surrounds them.
  check.holds([...seen.word].every((one) => one >= 0 && one < 2 ** 30));
  check.equal(hashWord('abc', 0, 3), hashWord(',abc,', 1, 4));
  check.equal([hashWord('ab-c', 0, 4), hashWord('abc', 1, 1), hashWord('a'.repeat(40), 0, 40), hashWord('a1', 1, 2)], [-1, -1, -1, -1]);
});

export const sets = test('a set of hashes has what was added: seed {seed}', { cases: range('seed', 1, 20) }, ({ row: { seed }, check }) => {
  const random = createRandom(`sets ${seed}`);
  const set = new HashSet64(random.pick([8, 64, 1024]));
  const model = new Set<string>();
  // Many share a slot, also the last one. Of those with the same confirmation, the upper halves differ.
  const lower = Array.from({ length: 400 }, () => random.pick([0, 1, 7, 63, 1023, 65_535, random.integer(0, 65_535)]));
  while (set.room > 0) {
    const confirmation = random.integer(1, 399);
    const upper = random.pick([0, 1, 0x7fff, 0xffff]);
    const primary = upper * 65_536 + (lower[confirmation] as number);
    const key = `${primary} ${confirmation}`;
    const isKnown = model.has(key);
    const before = set.room;
    check.equal([set.has(primary, confirmation), set.add(primary, confirmation), before - set.room], [isKnown, !isKnown, isKnown ? 0 : 1], key);
    model.add(key);
  }
});

/** Rows of which some repeat. */
function repeatingRows(seed: number): RowIdentity[] {
  const random = createRandom(`repeating ${seed}`);
  return Array.from({ length: random.integer(1, 300) }, () => ({
    row: { n: random.integer(0, random.pick([5, 100, 1000])), text: random.pick(['mono', 'a b', '']) },
    ...(random.integer(0, 9) === 0 && { name: random.pick(['first', 'second']) }),
  }));
}

/** 1 for the first row with a slug, 2 for the second. */
function countPlainly(rows: readonly RowIdentity[]): number[] {
  const counts = new Map<string, number>();
  return rows.map(({ row, name }) => {
    const slug = formatCaseSlug(row, name);
    counts.set(slug, (counts.get(slug) ?? 0) + 1);
    return counts.get(slug) as number;
  });
}

export const counters = test('repeated rows are numbered in tables of any size: seed {seed}', { cases: range('seed', 1, 40) }, async ({
  row: { seed },
  check,
}) => {
  const random = createRandom(`counters ${seed}`);
  const rows = repeatingRows(seed);
  const counter = new IdentityCounter(
    random.pick([
      [4, 8],
      [8, 32],
      [8, 16, 64],
    ]),
  );
  const replayed = new DuplicateCounter(async function* () {
    for (let at = 0; at < rows.length; at += 7) yield rows.slice(at, at + 7);
  });
  const [inTables, lazily]: number[][] = [[], []];
  for (let at = 0; at < rows.length; ) {
    const some = rows.slice(at, at + random.integer(1, 40));
    inTables?.push(...counter.add(some));
    lazily?.push(...((await replayed.countDuplicate(some)) ?? some.map(() => 1)));
    at += some.length;
  }
  check.equal(inTables, countPlainly(rows));
  check.equal(lazily, countPlainly(rows));
});

export const digits = test('a number is written as text, or not at all: seed {seed}', { cases: range('seed', 1, 20) }, ({ row: { seed }, check }) => {
  const random = createRandom(`digits ${seed}`);
  const bytes = new Uint8Array(64);
  for (let i = 0; i < 300; i++) {
    const whole = random.integer(0, 10 ** random.integer(1, 9));
    const number = random.pick([
      whole,
      -whole,
      whole / 1000,
      (whole % 1e6) / random.pick([10, 100, 1000, 7]),
      0,
      -0,
      2 ** 31 - 1,
      2 ** 31,
      1e21,
      0.001,
      0.0005,
    ]);
    const end = writeDigits(bytes, 5, number);
    if (end >= 0) check.equal(new TextDecoder().decode(bytes.subarray(5, end)), String(number));
    const isShort = number >= 0 && !Object.is(number, -0) && number < 2e6 && Number(number.toFixed(3)) === number;
    if (isShort) check.holds(end > 5, `${number} has few digits`);
  }
});
