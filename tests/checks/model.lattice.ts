import { range, suite, test } from 'red-lattice';
import { createRandom, type Random } from '../../src/cases/random.ts';
import { hasPart, isEqual, projectOnto } from '../../src/checks/equality.ts';

/** Values without cycles, each with a text that equal values share: a plain model of equality. */
type Made = { readonly value: unknown; readonly text: string };

/** Each is created again, so that equal values are different objects. */
const leaves: readonly { readonly of: () => unknown; readonly text: string }[] = [
  ...[0, 1, -1, 2.5, 1e21].map((value) => ({ of: () => value, text: `number ${value}` })),
  { of: () => -0, text: 'number 0' },
  { of: () => Number.NaN, text: 'number NaN' },
  ...['', '1', 'quay'].map((value) => ({ of: () => value, text: `string ${value}` })),
  ...[true, false, null, undefined, 1n].map((value) => ({ of: () => value, text: `${typeof value} ${value}` })),
  ...[0, 1].map((time) => ({ of: () => new Date(time), text: `date ${time}` })),
  ...['g', 'i'].map((flag) => ({ of: () => new RegExp('a', flag), text: `pattern ${flag}` })),
  ...['x', 'y'].map((message) => ({ of: () => new Error(message), text: `error ${message}` })),
  ...['x', 'y'].map((cause) => ({ of: () => new Error('z', { cause }), text: `error z by ${cause}` })),
  ...['x', 'y'].map((one) => ({ of: () => new AggregateError([one], 'z'), text: `errors ${one}` })),
  ...[[1], [1, 2], [1, 2.5], [Number.NaN]].map((list) => ({ of: () => Float64Array.from(list), text: `floats ${list}` })),
  ...[[1n], [2n]].map((list) => ({ of: () => BigInt64Array.from(list), text: `integers ${list}` })),
  ...[
    [1, 2],
    [1, 3],
  ].flatMap((list) => [
    { of: () => Uint8Array.from(list), text: `bytes ${list}` },
    { of: () => Uint8Array.from(list).buffer, text: `buffer ${list}` },
    { of: () => new DataView(Uint8Array.from([0, ...list]).buffer, 1), text: `view ${list}` },
  ]),
  ...[1, 2].flatMap((value) => [
    { of: () => Object(value), text: `boxed number ${value}` },
    { of: () => Object(`${value}`), text: `boxed string ${value}` },
    { of: () => Object(BigInt(value)), text: `boxed integer ${value}` },
    { of: () => Object(value === 1), text: `boxed boolean ${value === 1}` },
  ]),
];

function make(random: Random, depth: number): Made {
  const kind = depth === 0 ? 0 : random.integer(0, 6);
  const parts = (): Made[] => Array.from({ length: random.integer(0, 3) }, () => make(random, depth - 1));
  if (kind < 2) {
    const { of, text } = random.pick(leaves);
    return { value: of(), text };
  }
  if (kind === 2) {
    const items = parts();
    return { value: items.map(({ value }) => value), text: `[${items.map(({ text }) => text).join('; ')}]` };
  }
  if (kind === 3) {
    // A set contains a primitive value once, and equal objects several times.
    const items = [...new Map(parts().map((part) => [typeof part.value === 'object' ? part.value : part.text, part])).values()];
    return {
      value: new Set(random.shuffle(items).map(({ value }) => value)),
      text: `set(${items
        .map(({ text }) => text)
        .sort()
        .join('; ')})`,
    };
  }
  const entries = random
    .shuffle(['a', 'b', 'c', 'd'])
    .slice(0, random.integer(0, 4))
    .map((key) => [key, make(random, depth - 1)] as const);
  const text = entries
    .map(([key, part]) => `${key}: ${part.text}`)
    .sort()
    .join('; ');
  if (kind === 4) return { value: new Map(entries.map(([key, { value }]) => [key, value])), text: `map(${text})` };
  return { value: Object.fromEntries(entries.map(([key, { value }]) => [key, value])), text: `{${text}}` };
}

type Tree = { [key: string]: Tree | number };
const isTree = (value: Tree | number): value is Tree => typeof value === 'object';

/** A tree of objects with numbers as leaves. */
function makeTree(random: Random, depth: number): Tree {
  const keys = random.shuffle(['a', 'b', 'c', 'd']).slice(0, random.integer(1, 4));
  return Object.fromEntries(keys.map((key) => [key, depth > 0 && random.integer(0, 1) === 0 ? makeTree(random, depth - 1) : random.integer(0, 9)]));
}

/** Some of a tree. */
const partOf = (tree: Tree, random: Random): Tree =>
  Object.fromEntries(
    Object.entries(tree).flatMap(([key, value]) => (random.integer(0, 2) === 0 ? [] : [[key, isTree(value) ? partOf(value, random) : value]])),
  );

const sizeOf = (tree: Tree): number => Object.values(tree).reduce<number>((sum, value) => sum + (isTree(value) ? 1 + sizeOf(value) : 1), 0);

/** The tree with another number at one of its leaves. */
function withOtherLeaf(tree: Tree, random: Random): Tree {
  const key = random.pick(Object.keys(tree));
  const value = tree[key] as Tree | number;
  return { ...tree, [key]: isTree(value) && Object.keys(value).length > 0 ? withOtherLeaf(value, random) : 10 };
}

export const model = suite('comparisons and a plain model', [
  test('values are equal exactly if their texts are: seed {seed}', { cases: range('seed', 1, 20) }, ({ row, check }) => {
    const random = createRandom(`equality ${row.seed}`);
    const all = [...leaves.map(({ of, text }) => ({ value: of(), text })), ...Array.from({ length: 60 }, () => make(random, 2))];
    const wrong: string[] = [];
    for (const a of all) for (const b of all) if (isEqual(a.value, b.value) !== (a.text === b.text)) wrong.push(`${a.text} and ${b.text}`);
    check.equal(wrong, []);
    check.holds(
      all.some((a, i) => all.slice(i + 1).some((b) => a.text === b.text)),
      'some are equal',
    );
  }),

  test('a value has its own parts, and no others: seed {seed}', { cases: range('seed', 1, 60) }, ({ row, check }) => {
    const random = createRandom(`parts ${row.seed}`);
    const whole = makeTree(random, 3);
    const part = partOf(whole, random);
    check.holds(hasPart(whole, part), 'the part');
    check.equal(hasPart(part, whole), sizeOf(part) === sizeOf(whole), 'the whole, in the part');
    check.equal(projectOnto(whole, part), part, 'what is shown beside the part');
    if (sizeOf(part) > 0) check.holds(!hasPart(whole, withOtherLeaf(part, random)), 'a part with another leaf');
  }),
]);
