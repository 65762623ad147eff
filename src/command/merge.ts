import { appendFileSync, copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync } from 'node:fs';
import { join, relative, resolve } from 'node:path';
import { explainEmptyRecord } from '../formats/human/nothing-selected.ts';
import { renderFailures, renderSummary } from '../formats/human/run.ts';
import { formatCount } from '../formats/style.ts';
import { formatSummaryLine } from '../formats/summary-line.ts';
import { findRecord, type RecordReference } from '../node/earlier-runs.ts';
import { findRoot } from '../node/find-files.ts';
import { readJournals } from '../node/journals.ts';
import { createRecord, writeInfo } from '../node/record.ts';
import { encodeEntry, type JournalEntry } from '../results/journal/entries.ts';
import { findRerunSelections } from '../results/rerun-selection.ts';
import { findDifferingFiles, type NotRun } from '../results/run-info.ts';
import { addUnusedOverrides, applyEntry, createRunState, exitStatus, failingTests, setNotRun } from '../results/run-state.ts';
import { whereTestsFail } from '../results/where/tests.ts';
import type { CommandContext } from './command-context.ts';
import { createFormatting, failWith } from './terminal.ts';

/** Merges the records of several shards into one, and prints the result of the whole run. */
export async function mergeCommand(given: readonly string[], options: { readonly o?: string }, { folder, terminal }: CommandContext): Promise<number> {
  const root = findRoot(folder);
  const records: RecordReference[] = [];
  for (const name of given) {
    const record = findRecord(name, root, folder);
    if (!record) return failWith(terminal, `${name} is not a run record: it has no run.json of Red Lattice`);
    records.push(record);
  }
  const [first] = records as [RecordReference];
  const other = records.find(({ info }) => info.plan !== first.info.plan);
  if (other)
    return failWith(terminal, `${given[records.indexOf(other)]} has another plan than ${given[0]}. Merge shards that ran the same files in the same state.`);
  for (const [i, { info }] of records.entries()) {
    // Not every shard reads every data file.
    const changed = [...findDifferingFiles(first.info.files, info.files), ...findDifferingFiles(first.info.reads, info.reads, true)];
    if (changed.length > 0)
      return failWith(terminal, `${given[i]} ran another state of ${changed.join(', ')} than ${given[0]}. Merge shards of the same state of the tests.`);
  }
  const mismatch = records.findIndex(({ info }) => info.balancedBy !== first.info.balancedBy);
  if (mismatch >= 0)
    return failWith(
      terminal,
      `${given[mismatch]} and ${given[0]} were balanced by different records, so cases can be missing. Give all shards the same --balance-by.`,
    );
  for (const [i, record] of records.entries()) {
    const lost = countMissingResults(record);
    if (lost > 0) return failWith(terminal, `${given[i]} lacks ${formatCount(lost, 'result')} that its run counted. Copy the whole record again.`);
  }
  const shards = records.map(({ info }) => info.shard);
  const of = first.info.shard?.of;
  if (shards.some((shard) => !shard || shard.of !== of)) return failWith(terminal, 'merge needs records of runs with --shard and the same number of shards');
  const twice = shards.find((shard, i) => shards.findIndex((one) => one?.index === shard?.index) !== i);
  if (twice) return failWith(terminal, `shard ${twice.index}/${twice.of} was given twice`);

  const started = new Date(Math.min(...records.map(({ info }) => Date.parse(info.started))));
  const target = createRecord(root, started, first.info.seed, options.o === undefined ? undefined : resolve(folder, options.o));
  const state = createRunState();
  for (const { folder: from, info } of records) {
    for (const entry of copyJournals(from, target, info.shard?.index ?? 0)) applyEntry(state, entry);
  }
  addUnusedOverrides(state);
  const milliseconds = Math.max(...records.map(({ info }) => info.milliseconds ?? 0));
  const missing = Array.from({ length: of ?? 0 }, (_, i) => i + 1).filter((index) => !shards.some((shard) => shard?.index === index));
  const status = Math.max(exitStatus(state), ...records.map(({ info }) => (info.exitStatus === 3 ? 0 : (info.exitStatus ?? 2)))) as 0 | 1 | 2 | 3;
  setNotRun(state, countNotRun(records.flatMap(({ info }) => info.notRun ?? [])));
  const { shard: _shard, notRun: _notRun, ...info } = first.info;
  writeInfo(target, {
    ...info,
    started: started.toISOString(),
    milliseconds,
    exitStatus: status,
    counts: state.counts,
    ...(state.notRun && { notRun: state.notRun }),
    lanes: records.reduce((sum, one) => sum + one.info.lanes, 0),
  });

  const entries = () => readJournals(target);
  const whole = { ...info, notRun: state.notRun, selection: info.selection && { ...info.selection, shard: undefined } };
  const formatting = { ...createFormatting(root, terminal), ...(missing.length === 0 && { reruns: findRerunSelections(entries, state, whole) }) };
  for (const line of renderFailures(state, whereTestsFail(entries, failingTests(state)), formatting)) terminal.out(line);
  terminal.out('');
  for (const index of missing) terminal.out(terminal.style.yellow(`shard ${index}/${of} is missing`));
  for (const line of renderSummary(
    state,
    { milliseconds, lanes: 1, seed: info.seed, record: relative(folder, target) || '.', interrupted: false, resumes: false, strict: 0 },
    formatting,
  ))
    terminal.out(line);
  if (status === 3) terminal.out(terminal.style.yellow(explainEmptyRecord(info.selection, formatting.nameFile)));
  terminal.out(formatSummaryLine(state));
  return missing.length > 0 ? 2 : status;
}

/** The number of results that a run has counted, but that its journals lack. */
function countMissingResults({ folder, info }: RecordReference): number {
  if (!info.counts) return 0;
  const { 'not-run': _notRun, ...counts } = info.counts;
  let missing = Object.values(counts).reduce((sum, number) => sum + number, 0);
  for (const entry of readJournals(folder, { inBlocks: true })) {
    if (entry.type === 'ended') missing--;
    else if (entry.type === 'passed') missing -= entry.block.passes;
  }
  return Math.max(0, missing);
}

/** Adds up the cases that several runs ended before. */
const countNotRun = (all: readonly NotRun[]): NotRun | undefined =>
  all[0] && { cases: all.reduce((sum, { cases }) => sum + cases, 0), isMore: all.some(({ isMore }) => isMore), reason: all[0].reason };

/** Copies a shard's journals and attachments under unique names. Yields the entries. */
function* copyJournals(from: string, to: string, shard: number): Generator<JournalEntry> {
  const attachments = join(from, 'attachments');
  if (existsSync(attachments)) {
    mkdirSync(join(to, 'attachments'), { recursive: true });
    for (const entry of readdirSync(attachments, { withFileTypes: true })) {
      // A record can come from anywhere: a link could lead to any file.
      if (entry.isFile()) copyFileSync(join(attachments, entry.name), join(to, 'attachments', `${shard}-${entry.name}`));
    }
  }
  for (const name of readdirSync(from).filter((file) => file.endsWith('.journal'))) {
    const path = join(to, `shard-${shard}-${name}`);
    appendFileSync(path, renameLane(readFileSync(join(from, name), 'utf8'), shard));
  }
  yield* readJournals(to, { prefix: `shard-${shard}-`, inBlocks: true });
}

/** Renames the attachments in the lines of a journal. An incomplete line is left out. */
function renameLane(text: string, shard: number): string {
  const lines = text.split('\n').slice(0, -1);
  return lines
    .map((line) => {
      if (!line.includes('"attachments":[{')) return `${line}\n`;
      const entry = JSON.parse(line) as JournalEntry;
      if (entry.type !== 'ended') return `${line}\n`;
      const attachments = entry.result.attachments.map((one) => ({ ...one, file: `${shard}-${one.file}` }));
      return encodeEntry({ ...entry, result: { ...entry.result, attachments } }, JSON.stringify);
    })
    .join('');
}
