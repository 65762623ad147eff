import type { Datum } from '../source.ts';
import type { MatrixOptions } from './matrix.ts';

type Row = Readonly<Record<string, unknown>>;

/**
 * Which owed combinations stand in no row, and which rows hold an impossible one.
 *
 * Worked out the plain way, by going through all combinations and rows: shares no code with what makes the rows. Whether a
 * combination can occur is decided by trying to complete it, however long that takes.
 */
export function verifyCover<A extends Readonly<Record<string, Datum>>>(
  axes: { readonly [K in keyof A]: readonly A[K][] },
  rows: Iterable<A>,
  options: MatrixOptions<NoInfer<A>> = {},
): { readonly owed: number; readonly missing: readonly Partial<A>[]; readonly wrong: readonly A[] } {
  const names = Object.keys(axes) as (keyof A & string)[];
  const given = [...rows];
  const rules = rulesOf(options.except);
  const isBroken = (row: Row): boolean => rules.some((rule) => rule(row));
  const canOccur = (row: Row): boolean => {
    if (isBroken(row)) return false;
    const next = rules.length === 0 ? undefined : names.find((name) => !(name in row));
    return next === undefined || axes[next].some((value) => canOccur({ ...row, [next]: value }));
  };
  const everywhere = options.cover === undefined || options.cover === 'all' ? names.length : options.cover;
  const groups = [
    { axes: names, cover: everywhere },
    ...(options.stronger ?? []).map((group) => ({ axes: group.axes as (keyof A & string)[], cover: group.cover })),
  ];
  const missing: Partial<A>[] = [];
  let owed = 0;
  for (const group of groups) {
    for (const set of setsOf(group.axes, Math.min(group.cover, group.axes.length))) {
      for (const combination of productOf(set, axes as Readonly<Record<string, readonly unknown[]>>)) {
        if (!canOccur(combination)) continue;
        owed++;
        if (!given.some((row) => set.every((name) => Object.is(row[name], combination[name])))) missing.push(combination as Partial<A>);
      }
    }
  }
  const isRow = (row: A): boolean => names.every((name) => axes[name].includes(row[name]));
  return { owed, missing, wrong: given.filter((row) => !isRow(row) || isBroken(row)) };
}

/** Each says whether a row, as far as it is set, is impossible. */
function rulesOf(except: MatrixOptions<any>['except']): ((row: Row) => boolean)[] {
  const list = typeof except === 'function' ? except((reads, when) => ({ reads, when }) as never) : (except ?? []);
  return (list as readonly object[]).map((one) => {
    const { reads, when } = one as { reads?: readonly string[]; when?: (row: Row) => boolean };
    if (Array.isArray(reads) && typeof when === 'function')
      return (row) => reads.every((name) => name in row) && when(Object.fromEntries(reads.map((name) => [name, row[name]])));
    const wanted = Object.entries(one);
    return (row) => wanted.every(([name, value]) => name in row && (Array.isArray(value) ? value.includes(row[name]) : Object.is(value, row[name])));
  });
}

function* setsOf<T>(items: readonly T[], size: number): Generator<T[]> {
  if (size === 0) yield [];
  else for (const [i, first] of items.entries()) for (const rest of setsOf(items.slice(i + 1), size - 1)) yield [first, ...rest];
}

function* productOf(names: readonly string[], axes: Readonly<Record<string, readonly unknown[]>>): Generator<Row> {
  const [first, ...others] = names;
  if (first === undefined) yield {};
  else for (const value of axes[first] as readonly unknown[]) for (const rest of productOf(others, axes)) yield { [first]: value, ...rest };
}
