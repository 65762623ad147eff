import { type Command, InvalidArgumentError, Option } from 'commander';
import type { Sides } from '../formats/human/grid.ts';
import { type RowCondition, readCondition } from '../suites/row-condition.ts';
import type { Selection, Target } from '../suites/selection.ts';
import { shardOf } from './shard.ts';

/** What `run` and `plan` share: which cases are meant. */
export interface SelectionOptions {
  readonly title?: readonly string[];
  readonly tag?: readonly string[];
  readonly notTag?: readonly string[];
  readonly id?: readonly string[];
  readonly row?: readonly RowCondition[];
  readonly onRequest?: boolean;
  readonly shard?: { readonly index: number; readonly of: number };
  readonly failed?: boolean;
  /** The record that shards are balanced by. */
  readonly times?: string;
  readonly seed?: number;
  readonly loadTimeout: number;
  readonly timeout?: number;
}

const collected = (value: string, before: readonly string[] = []): readonly string[] => [...before, value];

/** A whole number of at least `least`. */
export function wholeNumber(least: number): (value: string) => number {
  return (value) => {
    const number = Number(value);
    if (!Number.isSafeInteger(number) || number < least) throw new InvalidArgumentError(`It must be a whole number of at least ${least}.`);
    return number;
  };
}

function titlePattern(value: string, before?: readonly string[]): readonly string[] {
  const pattern = /^\/(.+)\/([a-z]*)$/s.exec(value);
  if (pattern) {
    try {
      new RegExp(pattern[1] as string, pattern[2]);
    } catch (error) {
      throw new InvalidArgumentError((error as Error).message);
    }
  }
  return collected(value, before);
}

function rowCondition(value: string, before: readonly RowCondition[] = []): readonly RowCondition[] {
  const condition = readCondition(value);
  if (!condition) throw new InvalidArgumentError('It must be like season=winter or loa>=12.');
  return [...before, condition];
}

/** `season,hull/loa`: the columns down the side of a grid, then those across its head. */
function gridSides(value: string): Sides {
  const [down = [], across = [], more] = value.split('/').map((part) => part.split(',').filter(Boolean));
  if (more || down.length === 0 || across.length === 0)
    throw new InvalidArgumentError('It must be like season,hull/loa: columns down the side, then across the head.');
  return { down, across };
}

/** `in memory,in the database`: two titles. */
export function pairOf(value: string): { before: string; after: string } {
  const [before, after, more] = value.split(',').map((part) => part.trim());
  if (!before || !after || more !== undefined)
    throw new InvalidArgumentError('It must be two titles of variants with a comma between: "in memory,in the database".');
  return { before, after };
}

/** How results are laid out for people. */
export const addLook = (command: Command): Command =>
  command
    .addOption(new Option('--sort <order>', 'all tests at the end, by time, name or plan, in place of as they end').choices(['time', 'name', 'plan']))
    .option('--grid', 'tests whose rows are combinations of a few values as grids')
    .option('--grid-by <down/across>', 'those that have these columns, laid out by them: season,hull/loa', gridSides);

export function addSelection(command: Command): Command {
  return command
    .option('-t, --title <text or /pattern/>', 'the cases whose full title holds the text (repeated: any of them)', titlePattern)
    .option('--tag <tag>', 'the cases with a tag (repeated: any of them)', collected)
    .option('--not-tag <tag>', 'the cases without a tag', collected)
    .option('--id <id>', 'the case with this id (repeated: any of them)', collected)
    .option('-r, --row <column=value>', 'the cases whose row has that value (also !=, <, <=, >, >=; repeated: all of them)', rowCondition)
    .option('--failed', 'the cases that failed in the last run that they were in')
    .option('--shard <i/n>', 'the i-th of n parts, the same on every machine; job: as an indexed job’s environment tells', (text) => shardOf(text))
    .option('--times <record>', 'deal shards by what each case took in a record, the same on every machine')
    .option('--on-request', 'also those that run on request only')
    .option('--load-timeout <ms>', 'how long one test file may take to load', wholeNumber(1), 30_000);
}

/** What the records at hand tell of a selection. */
export interface FromRecords {
  /** The ids of what failed, where that is asked for. */
  readonly failed: readonly string[] | undefined;
  /** The folder of the record that `--times` means. */
  readonly times: string | undefined;
}

export const selectionOf = (options: SelectionOptions, targets: readonly Target[], { failed, times }: FromRecords): Selection => ({
  targets,
  titles: options.title,
  tags: options.tag,
  notTags: options.notTag,
  ids: failed ? [...(options.id ?? []), ...failed] : options.id,
  rows: options.row,
  onRequest: options.onRequest,
  shard: options.shard && { ...options.shard, times },
});
