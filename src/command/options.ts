import { readFileSync } from 'node:fs';
import { type Command, InvalidArgumentError, Option } from 'commander';
import { parsePattern } from '../checks/pattern.ts';
import type { GridAxes } from '../formats/human/grid.ts';
import { parseCondition, type RowCondition } from '../suites/row-condition.ts';
import type { Selection, Target } from '../suites/selection.ts';
import { parseShard } from './shard.ts';

/** The options of `run` and `plan` that select cases. */
export interface SelectionOptions {
  readonly title?: readonly string[];
  readonly tag?: readonly string[];
  readonly notTag?: readonly string[];
  readonly id?: readonly string[];
  /** The ids that the file contains. */
  readonly idFile?: readonly string[];
  readonly row?: readonly RowCondition[];
  readonly onRequest?: boolean;
  readonly shard?: { readonly index: number; readonly of: number };
  readonly failed?: boolean;
  /** The record that shards are balanced by. */
  readonly balanceBy?: string;
  readonly seed?: number;
  readonly loadTimeout: number;
  readonly timeout?: number;
}

export const appendValue = (value: string, before: readonly string[] = []): readonly string[] => [...before, value];

/** Ids cannot contain line breaks. */
function readIds(file: string): readonly string[] {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    throw new InvalidArgumentError(`It cannot be read: ${(error as Error).message}.`);
  }
  const ids = text.split(/\r?\n/).filter((line) => line !== '');
  if (ids.length === 0) throw new InvalidArgumentError('The file contains no ids; expected one per line.');
  return ids;
}

/** Parses an integer of at least `least`. */
export function wholeNumber(least: number): (value: string) => number {
  return (value) => {
    const number = Number(value);
    if (!Number.isSafeInteger(number) || number < least) throw new InvalidArgumentError(`It must be an integer of at least ${least}.`);
    return number;
  };
}

function parseTitleOption(value: string, before?: readonly string[]): readonly string[] {
  try {
    parsePattern(value);
  } catch (error) {
    throw new InvalidArgumentError((error as Error).message);
  }
  return appendValue(value, before);
}

function parseRowOption(value: string, before: readonly RowCondition[] = []): readonly RowCondition[] {
  const condition = parseCondition(value);
  if (!condition) throw new InvalidArgumentError('It must look like season=winter or loa>=12.');
  return [...before, condition];
}

/** Parses `season,hull/loa`: the columns down the side of a grid, then those across the top. */
function parseGridSides(value: string): GridAxes {
  const [down = [], across = [], more] = value.split('/').map((part) => part.split(',').filter(Boolean));
  if (more || down.length === 0 || across.length === 0)
    throw new InvalidArgumentError('It must look like season,hull/loa: columns down the side, then across the head.');
  return { down, across };
}

/** Parses `in memory,in the database`: two titles. */
export function parsePair(value: string): { before: string; after: string } {
  const [before, after, more] = value.split(',').map((part) => part.trim());
  if (!before || !after || more !== undefined)
    throw new InvalidArgumentError('It must be two variant titles separated by a comma: "in memory,in the database".');
  return { before, after };
}

/** Adds the options for displaying results. */
export const addDisplayOptions = (command: Command): Command =>
  command
    .addOption(new Option('--sort <order>', 'Print tests at the end, sorted by time, name or plan. Default: as they end.').choices(['time', 'name', 'plan']))
    .option('--grid', 'Print tests whose rows combine a few values as grids.')
    .option('--grid-by <down/across>', 'Print grids by these columns: down the side, then across the head, as in season,hull/loa.', parseGridSides);

export function addSelection(command: Command): Command {
  return command
    .option('-t, --title <text or /pattern/>', 'Select cases whose full title contains the text. Repeat for more.', parseTitleOption)
    .option('--tag <tag>', 'Select cases with this tag. Repeat for more.', appendValue)
    .option('--not-tag <tag>', 'Leave out cases with this tag.', appendValue)
    .option('--id <id>', 'Select the case with this id. Repeat for more.', appendValue)
    .option('--id-file <file>', 'Select the cases whose ids are in this file, one per line.', readIds)
    .option('-r, --row <column=value>', 'Select cases whose row has this value (also !=, <, <=, >, >=). If repeated, all must hold.', parseRowOption)
    .option('--failed', 'Select cases that failed in the last run that included them.')
    .option('--shard <i/n>', 'Select part i of n, the same on every machine. job: read i and n from the CI job.', (text) => parseShard(text))
    .option('--balance-by <record>', 'Balance shards by the case durations of a record, the same one on every machine.')
    .option('--on-request', 'Also select cases marked onRequest.')
    .option('--load-timeout <ms>', 'Set the time limit for loading a test file.', wholeNumber(1), 30_000);
}

/** The parts of a selection that come from records. */
export interface RecordSelection {
  /** The ids of the failed cases, with `--failed`. */
  readonly failed: readonly string[] | undefined;
  /** The folder of the record that `--balance-by` names. */
  readonly times: string | undefined;
}

export const buildSelection = (options: SelectionOptions, targets: readonly Target[], { failed, times }: RecordSelection): Selection => ({
  targets,
  titles: options.title,
  tags: options.tag,
  notTags: options.notTag,
  ids: failed || options.id || options.idFile ? [...(options.id ?? []), ...(options.idFile ?? []), ...(failed ?? [])] : undefined,
  rows: options.row,
  onRequest: options.onRequest,
  shard: options.shard && { ...options.shard, times },
});
