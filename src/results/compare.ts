import { formatSlug } from '../cases/ids.ts';
import type { Status } from '../running/result.ts';
import type { JournalEntry } from './journal/entries.ts';
import type { RecordedResult } from './recorded-result.ts';

/** One case in two records. One side is missing if the case is in one record only. */
export interface Compared {
  readonly id: string;
  readonly title: string;
  /** The titles of its suites and its test. */
  readonly path: readonly string[];
  /** Undefined for a failed teardown. */
  readonly row?: RecordedResult['row'] | undefined;
  readonly before?: CaseSnapshot | undefined;
  readonly after?: CaseSnapshot | undefined;
}

export interface CaseSnapshot {
  readonly status: Status;
  /** The time of the body. The time of a shared setup would count for whichever case comes first. */
  readonly milliseconds: number;
  /** The message of the first failure. */
  readonly message?: string | undefined;
}

/** How a case changed between two records. */
export type Change = 'newly failing' | 'fixed' | 'still failing' | 'new' | 'gone' | 'excused' | 'slower' | 'faster' | 'same';
export const changes: readonly Change[] = ['newly failing', 'fixed', 'still failing', 'new', 'gone', 'excused', 'slower', 'faster', 'same'];

export interface Comparison {
  /** By change, in the order of the later record. Unchanged cases are only counted. */
  readonly cases: Readonly<Record<Exclude<Change, 'same'>, readonly Compared[]>>;
  readonly same: number;
  /** How many times as long cases took in the later record: the median over those that passed in both. */
  readonly pace: number;
}

type Entries = () => Iterable<JournalEntry>;

/**
 * Which cases to compare: all by their ids, or those of two variants, or of a suite and its adaptation, whose ids differ by that title and
 * the file.
 */
export type VariantPair = { readonly before: string; readonly after: string } | undefined;

/** Whether a case fails in the later record that did not fail in the earlier one. */
export const hasNewFailure = ({ cases }: Comparison): boolean => cases['newly failing'].length > 0 || cases.new.some(({ after }) => fails(after));

const fails = (side: CaseSnapshot | undefined): boolean => side?.status === 'failed' || side?.status === 'errored';
const isExcused = ({ status }: CaseSnapshot): boolean => status !== 'passed' && status !== 'failed' && status !== 'errored';

/** Compares two records case by case. Of the earlier record, one line per case is held in memory. */
export function compare(before: Entries, after: Entries, matching?: VariantPair): Comparison {
  const known = new Map<string, KeyedCase>();
  for (const one of collectCases(before(), matching?.before)) known.set(one.key, one);
  const cases: Record<Exclude<Change, 'same'>, Compared[]> = {
    'newly failing': [],
    fixed: [],
    'still failing': [],
    new: [],
    gone: [],
    excused: [],
    slower: [],
    faster: [],
  };
  // On a slower machine, all cases are slower. Variants differ by themselves.
  const pace = new DurationNoise(matching === undefined);
  /** Passed in both, with different times. */
  const timed: TimedCase[] = [];
  let same = 0;
  for (const one of collectCases(after(), matching?.after)) {
    const earlier = known.get(one.key);
    known.delete(one.key);
    // Records contain only failed teardowns.
    const change = one.isTeardown && !earlier ? 'newly failing' : classifyChange(earlier?.side, one.side);
    if (change === 'timed') {
      const [from, to] = [earlier?.side.milliseconds ?? 0, one.side.milliseconds];
      pace.take(from, to);
      if (Math.abs(to - from) >= NOISE_FLOOR_MS) timed.push({ ...compareCases(one, earlier), milliseconds: [from, to] });
      else same++;
    } else if (change === 'same') same++;
    else cases[change].push(compareCases(one, earlier));
  }
  for (const missing of known.values()) cases[missing.isTeardown ? 'fixed' : 'gone'].push(compareCases(undefined, missing));
  for (const { milliseconds, ...pair } of timed) {
    const change = pace.of(...milliseconds);
    if (change === 'same') same++;
    else cases[change].push(pair);
  }
  return { cases, same, pace: pace.median };
}

function compareCases(after: KeyedCase | undefined, before: KeyedCase | undefined): Compared {
  const { named, path } = (after ?? before) as KeyedCase;
  return { id: named.id, title: named.title, path, row: named.row, before: before?.side, after: after?.side };
}

/*
 * before    after     change
 * none      any       new: it was not part of the earlier run
 * any       fails     newly failing, or still failing if it failed before
 * any       excused   excused, or the same if it was excused before
 * fails     passed    fixed
 * passed    passed    slower, faster or the same, by its time
 * excused   passed    the same
 */
function classifyChange(before: CaseSnapshot | undefined, after: CaseSnapshot): Exclude<Change, 'gone' | 'slower' | 'faster'> | 'timed' {
  if (!before) return 'new';
  if (fails(after)) return fails(before) ? 'still failing' : 'newly failing';
  if (isExcused(after)) return isExcused(before) ? 'same' : 'excused';
  if (fails(before)) return 'fixed';
  return before.status === 'passed' ? 'timed' : 'same';
}

interface KeyedCase {
  readonly key: string;
  /** Read when the change is reported. */
  readonly named: { readonly id: string; readonly title: string; readonly row?: RecordedResult['row'] };
  readonly path: readonly string[];
  readonly side: CaseSnapshot;
  readonly isTeardown: boolean;
}

function* collectCases(entries: Iterable<JournalEntry>, variant: string | undefined): Generator<KeyedCase> {
  const paths = new Map<number, readonly string[]>();
  for (const entry of entries) {
    if (entry.type === 'test') paths.set(entry.header.test, [entry.header.file, ...entry.header.path]);
    else if (entry.type === 'ended') {
      const { result } = entry;
      const key = variant === undefined ? result.id : withoutVariant(result.id, variant);
      if (key !== undefined) yield { key, named: result, path: paths.get(result.test) ?? [], side: buildSnapshot(result), isTeardown: false };
    } else if (entry.type === 'teardown-failed' && variant === undefined)
      yield { key: entry.id, named: entry, path: [], side: buildSnapshot(entry.result), isTeardown: true };
  }
}

const buildSnapshot = ({ status, times, failures }: Pick<RecordedResult, 'status' | 'times' | 'failures'>): CaseSnapshot => ({
  status,
  milliseconds: times.body,
  message: failures[0]?.message,
});

/** Removes the file from an id, and replaces the title of a variant by a star. Returns undefined for an id of another variant. */
function withoutVariant(id: string, variant: string): string | undefined {
  const parts = id.slice(id.indexOf('#') + 1).split('/');
  const at = parts.indexOf(formatSlug(variant));
  return at < 0 ? undefined : parts.with(at, '*').join('/');
}

type TimedCase = Compared & { readonly milliseconds: readonly [before: number, after: number] };

/** Milliseconds that garbage collection or a busy machine can add to any case. */
const NOISE_FLOOR_MS = 20;
const MIN_LOG_RATIO = Math.log(1.5);
/** A deviation of this many times the usual spread is not noise. */
const OUTLIER_FACTOR = 4;
const MIN_CASES_PER_SIZE = 12;

/**
 * Distinguishes changes of time from noise: cases of similar length show how much times vary between runs. The spread is the median of the
 * absolute deviations from the median (F. R. Hampel, 1974), of the ratios' logarithms.
 */
class DurationNoise {
  readonly #isCentred: boolean;
  readonly #ratios: number[] = [];
  /** The binary magnitude of each time. */
  readonly #sizes: number[] = [];
  noiseModel: { readonly center: number; readonly spread: number; readonly spreads: ReadonlyMap<number, number> } | undefined;

  constructor(isCentred: boolean) {
    this.#isCentred = isCentred;
  }

  take(before: number, after: number): void {
    this.#ratios.push(computeRatio(before, after));
    this.#sizes.push(computeSizeClass(before, after));
  }

  get model() {
    this.noiseModel ??= this.fitModel();
    return this.noiseModel;
  }

  fitModel() {
    const center = this.#isCentred ? computeMedian(this.#ratios) : 0;
    const spreadOf = (ratios: readonly number[]): number => 1.4826 * computeMedian(ratios.map((ratio) => Math.abs(ratio - center)));
    const spreads = new Map<number, number>();
    for (const size of new Set(this.#sizes)) {
      const alike = this.#ratios.filter((_, i) => this.#sizes[i] === size);
      if (alike.length >= MIN_CASES_PER_SIZE) spreads.set(size, spreadOf(alike));
    }
    return { center, spread: spreadOf(this.#ratios), spreads };
  }

  get median(): number {
    return Math.exp(this.model.center);
  }

  of(before: number, after: number): 'slower' | 'faster' | 'same' {
    const { center, spread, spreads } = this.model;
    const ratio = computeRatio(before, after) - center;
    if (Math.abs(ratio) < Math.max(MIN_LOG_RATIO, OUTLIER_FACTOR * (spreads.get(computeSizeClass(before, after)) ?? spread))) return 'same';
    return ratio > 0 ? 'slower' : 'faster';
  }
}

/** A tenth of a millisecond is added to both times: below that, clocks vary more than cases. */
const computeRatio = (before: number, after: number): number => Math.log((after + 0.1) / (before + 0.1));
const computeSizeClass = (before: number, after: number): number => Math.round(Math.log2(Math.sqrt((before + 0.1) * (after + 0.1))));

function computeMedian(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[sorted.length >> 1] ?? 0;
}
