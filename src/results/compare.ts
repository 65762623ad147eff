import { slug } from '../cases/names.ts';
import type { Status } from '../running/result.ts';
import type { JournalEntry, RecordedResult } from './journal.ts';

/** One case in two records; one side is missing where it was in the other only. */
export interface Compared {
  readonly id: string;
  readonly title: string;
  /** The titles of its suites and its test. */
  readonly path: readonly string[];
  readonly before?: Side | undefined;
  readonly after?: Side | undefined;
}

export interface Side {
  readonly status: Status;
  /** Of the body: a set-up that several share falls to whichever comes first. */
  readonly milliseconds: number;
  /** What the first failure says. */
  readonly message?: string | undefined;
}

/** What became of a case between two records. */
export type Change = 'newly failing' | 'fixed' | 'still failing' | 'new' | 'gone' | 'excused' | 'slower' | 'faster' | 'same';
export const changes: readonly Change[] = ['newly failing', 'fixed', 'still failing', 'new', 'gone', 'excused', 'slower', 'faster', 'same'];

export interface Comparison {
  /** By what became of them, in the order of the later record; those that stayed the same are only counted. */
  readonly cases: Readonly<Record<Exclude<Change, 'same'>, readonly Compared[]>>;
  readonly same: number;
  /** How many times as long a case took in the later record, at the median of those that passed in both. */
  readonly pace: number;
}

type Entries = () => Iterable<JournalEntry>;

/** Which cases are compared: all by their ids, or those of two variants, or of a suite and one adapted from it: their ids differ by that title, and by the file. */
export type Matching = { readonly before: string; readonly after: string } | undefined;

const fails = (side: Side | undefined): boolean => side?.status === 'failed' || side?.status === 'errored';
const isExcused = ({ status }: Side): boolean => status !== 'passed' && status !== 'failed' && status !== 'errored';

/** Compares two records case by case. A case that fails and was not there before is newly failing. */
export function compare(before: Entries, after: Entries, matching?: Matching): Comparison {
  const known = new Map<string, Compared>();
  for (const one of sidesOf(before(), matching?.before)) known.set(one.key, { id: one.id, title: one.title, path: one.path, before: one.side });
  const pairs: Compared[] = [];
  for (const { key, id, title, path, side } of sidesOf(after(), matching?.after)) {
    pairs.push({ id, title, path, before: known.get(key)?.before, after: side });
    known.delete(key);
  }
  const timed = pairs.filter(({ before, after }) => before?.status === 'passed' && after?.status === 'passed') as Timed[];
  // The same cases on a slower machine are slower throughout; variants differ by themselves.
  const pace = new Pace(timed, matching === undefined);
  const cases: Record<Exclude<Change, 'same'>, Compared[]> = {
    'newly failing': [],
    fixed: [],
    'still failing': [],
    new: [],
    gone: [...known.values()],
    excused: [],
    slower: [],
    faster: [],
  };
  let same = 0;
  for (const pair of pairs) {
    const change = changeOf(pair, pace);
    if (change === 'same') same++;
    else cases[change].push(pair);
  }
  return { cases, same, pace: pace.median };
}

/*
 * before    after     change
 * any       fails     newly failing, or still failing where it failed before
 * fails     passed    fixed
 * none      other     new
 * ran       excused   excused
 * passed    passed    slower, faster, same
 */
function changeOf({ before, after }: Compared, pace: Pace): Change {
  if (fails(after)) return fails(before) ? 'still failing' : 'newly failing';
  if (!before) return 'new';
  if (!after) return 'gone';
  if (isExcused(after)) return isExcused(before) ? 'same' : 'excused';
  if (fails(before)) return 'fixed';
  return before.status === 'passed' ? pace.of(before.milliseconds, after.milliseconds) : 'same';
}

interface Keyed {
  readonly key: string;
  readonly id: string;
  readonly title: string;
  readonly path: readonly string[];
  readonly side: Side;
}

function* sidesOf(entries: Iterable<JournalEntry>, variant: string | undefined): Generator<Keyed> {
  const paths = new Map<number, readonly string[]>();
  for (const entry of entries) {
    if (entry.is === 'test') paths.set(entry.header.test, [entry.header.file, ...entry.header.path]);
    else if (entry.is === 'ended') {
      const { result } = entry;
      const key = variant === undefined ? result.id : withoutVariant(result.id, variant);
      if (key !== undefined) yield { key, id: result.id, title: result.title, path: paths.get(result.test) ?? [], side: sideOf(result) };
    } else if (entry.is === 'torn' && variant === undefined) {
      const { id, title, result } = entry;
      yield { key: id, id, title, path: [], side: sideOf(result) };
    }
  }
}

const sideOf = ({ status, times, failures }: Pick<RecordedResult, 'status' | 'times' | 'failures'>): Side => ({
  status,
  milliseconds: times.body,
  message: failures[0]?.message,
});

/** An id without its file and with a star in place of a variant's title; nothing where it is not of that variant. */
function withoutVariant(id: string, variant: string): string | undefined {
  const parts = id.slice(id.indexOf('#') + 1).split('/');
  const at = parts.indexOf(slug(variant));
  return at < 0 ? undefined : parts.with(at, '*').join('/');
}

type Timed = Compared & { readonly before: Side; readonly after: Side };

/** Milliseconds that a collection of garbage or a busy machine may add to any case. */
const unnoticed = 20;
const leastRatio = Math.log(1.5);
/** How many times the usual spread is no noise any more. */
const beyond = 4;
const enoughOfASize = 12;

/**
 * Tells a change of time from noise: cases of about the same length tell how much times differ from run to run. The spread is the
 * median of the absolute deviations from the median (F. R. Hampel, 1974), of the ratios' logarithms.
 */
class Pace {
  readonly #center: number;
  readonly #spread: number;
  /** Of cases by the binary magnitude of their time. */
  readonly #spreads = new Map<number, number>();

  constructor(pairs: readonly Timed[], isCentred: boolean) {
    const ratios = pairs.map((pair) => ({
      size: sizeOf(pair.before.milliseconds, pair.after.milliseconds),
      ratio: ratioOf(pair.before.milliseconds, pair.after.milliseconds),
    }));
    this.#center = isCentred ? middle(ratios.map(({ ratio }) => ratio)) : 0;
    const spreadOf = (some: typeof ratios): number => 1.4826 * middle(some.map(({ ratio }) => Math.abs(ratio - this.#center)));
    this.#spread = spreadOf(ratios);
    for (const size of new Set(ratios.map((one) => one.size))) {
      const alike = ratios.filter((one) => one.size === size);
      if (alike.length >= enoughOfASize) this.#spreads.set(size, spreadOf(alike));
    }
  }

  get median(): number {
    return Math.exp(this.#center);
  }

  of(before: number, after: number): 'slower' | 'faster' | 'same' {
    const ratio = ratioOf(before, after) - this.#center;
    const spread = this.#spreads.get(sizeOf(before, after)) ?? this.#spread;
    if (Math.abs(after - before) < unnoticed || Math.abs(ratio) < Math.max(leastRatio, beyond * spread)) return 'same';
    return ratio > 0 ? 'slower' : 'faster';
  }
}

/** A tenth of a millisecond is added to both: below that, clocks differ more than cases. */
const ratioOf = (before: number, after: number): number => Math.log((after + 0.1) / (before + 0.1));
const sizeOf = (before: number, after: number): number => Math.round(Math.log2(Math.sqrt((before + 0.1) * (after + 0.1))));

function middle(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[sorted.length >> 1] ?? 0;
}
