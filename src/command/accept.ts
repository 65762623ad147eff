import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { type CellChange, type FileChange, type Refusal, refuseChange } from '../accepting/change.ts';
import { collectChanges, type TestedResult } from '../accepting/collect.ts';
import { editFile } from '../accepting/edit-file.ts';
import { findUnreadFiles } from '../accepting/unread-files.ts';
import { chooseContents, describeLines, keepLineEndings } from '../accepting/whole-files.ts';
import { acceptedAsJson } from '../formats/accept.ts';
import { type FileChanges, renderCommitText, renderFileChanges, renderRefusals, renderUnreadFiles } from '../formats/human/accept.ts';
import { formatCount } from '../formats/style.ts';
import { findChangedFiles, findRecord, type RecordReference } from '../node/earlier-runs.ts';
import { findRoot } from '../node/find-files.ts';
import { readJournals } from '../node/journals.ts';
import { recordedPath } from '../node/read-files.ts';
import { noRecordYet } from '../node/recorded.ts';
import { isInside, replaceFile } from '../node/write-file.ts';
import { suggest } from '../problems/format-problem.ts';
import { throwProblem } from '../problems/problem-error.ts';
import type { TestHeader } from '../results/recorded-result.ts';
import type { FileHashes } from '../results/run-info.ts';
import { selectsAll } from '../suites/selection.ts';
import type { CommandContext } from './command-context.ts';
import type { SelectionOptions } from './options.ts';
import { selectIds } from './selected-ids.ts';
import { createFormatting, failWith } from './terminal.ts';

export interface AcceptCommandOptions extends SelectionOptions {
  readonly column?: readonly string[];
  readonly record: string;
  readonly yes?: boolean;
  readonly check?: boolean;
  readonly all?: boolean;
  readonly format?: 'json';
}

/** A file with its new content. */
interface EditedFile extends FileChanges {
  readonly path: string;
  /** Undefined for a new file. */
  readonly before: Uint8Array | undefined;
  readonly after: Uint8Array;
}

interface EditedFiles {
  readonly files: readonly EditedFile[];
  readonly refused: readonly Refusal[];
}

const MAX_NAMED_FILES = 3;

/** Shows the values that failed checks computed for columns, and writes them into the data files of the rows. */
export async function acceptCommand(where: readonly string[], options: AcceptCommandOptions, setting: CommandContext): Promise<number> {
  const { folder, terminal } = setting;
  const root = findRoot(folder);
  const record = findRecord(options.record, root, folder);
  if (!record) return failWith(terminal, options.record === 'latest' ? noRecordYet : `${options.record} is not a run record`);
  const refusal = refuseRecord(record, root);
  if (refusal !== undefined) return failWith(terminal, refusal);
  const ids = await selectIds(where, options, setting);
  if (typeof ids === 'number') return ids;
  const { nameFile } = createFormatting(root, terminal);
  const columns = options.column && new Set(options.column);
  const expected = new Set<string>();
  const known = new Set<string>();
  const collected = collectChanges(failedResults(record, ids, expected), (column) => {
    known.add(column);
    return !columns || columns.has(column);
  });
  const unknown = options.column?.find((column) => !known.has(column));
  if (unknown !== undefined && known.size > 0)
    return failWith(terminal, `--column: no failed check computes values of \`${unknown}\`; ${suggest(unknown, [...known])}`);
  const edited = await editFiles(collected.changes, root, nameFile);
  const whole = columns ? { files: [], refused: [] } : replaceWholeFiles(collected.files, record.folder, root, nameFile);
  const files = [...edited.files.filter(({ made }) => made.length > 0), ...whole.files];
  const refused = [...collected.refused, ...edited.refused, ...whole.refused];
  const count = countChanges(files);

  const show = (): void => {
    for (const file of files) for (const line of renderFileChanges(file, terminal.style, options.all === true)) terminal.out(line);
    for (const line of renderRefusals(refused, nameFile, terminal.style, options.all === true)) terminal.out(line);
    if (count + refused.length === 0) terminal.out('nothing to accept: no failed check compares values with columns or files');
    for (const line of renderUnreadFiles(listUnreadFiles(record, root, expected), terminal.style)) terminal.out(line);
    if (count > 0) terminal.out('');
  };
  if (!options.format) show();
  const isWriting = !options.check && count > 0 && (options.yes === true || (await confirm(`Write ${describeCount(files)}? (y/N) `, options, terminal)));
  if (isWriting) {
    const changed = files.find(({ path, before }) => !isUnchanged(path, before));
    if (changed) return failWith(terminal, `${changed.name} has just changed; nothing was written`);
    for (const { path, after } of files) replaceFile(path, after);
  }
  if (options.format) terminal.writeRaw(acceptedAsJson(files, refused, isWriting, nameFile));
  else if (isWriting) {
    terminal.out(terminal.style.green(`accepted ${describeCount(files)}; run the tests again`));
    for (const line of ['', ...renderCommitText(files)]) terminal.out(line);
  } else if (count > 0) {
    terminal.out(`${describeCount(files)} would change; nothing was written`);
    if (!options.check && !terminal.ask) return failWith(terminal, 'accept writes without a question only with --yes');
  }
  return (count > 0 && !isWriting) || refused.length > 0 ? 1 : 0;
}

/** The failed results of the given cases, with their tests. Adds the files that contents were compared with to `expected`. */
function* failedResults({ folder }: RecordReference, ids: ReadonlySet<string> | 'all', expected: Set<string>): Generator<TestedResult> {
  const headers = new Map<number, TestHeader>();
  for (const entry of readJournals(folder, { inBlocks: true, types: ['ended', 'expected-file'] })) {
    if (entry.type === 'expected-file' && entry.file.startsWith('file:')) expected.add(fileURLToPath(entry.file));
    if (entry.type === 'test') headers.set(entry.header.test, entry.header);
    if (entry.type !== 'ended' || entry.result.status !== 'failed' || (ids !== 'all' && !ids.has(entry.result.id))) continue;
    const header = headers.get(entry.result.test);
    if (header) yield { header, result: entry.result };
  }
}

/** Explains why values of a record cannot be accepted. Undefined if they can. */
function refuseRecord(record: RecordReference, root: string): string | undefined {
  const changed = findChangedFiles(record, root);
  if (changed.length === 0) return undefined;
  const named = changed.slice(0, MAX_NAMED_FILES).join(', ');
  const more = changed.length > MAX_NAMED_FILES ? ` and ${changed.length - MAX_NAMED_FILES} more` : '';
  return `${named}${more} changed since the run. Run the tests again, then accept.`;
}

/** The files that no test compares with any more, by name. Only known after a whole run. */
function listUnreadFiles({ info }: RecordReference, root: string, expected: ReadonlySet<string>): string[] {
  if (info.exitStatus === undefined || info.exitStatus > 1 || info.shard || (info.selection && !selectsAll(info.selection))) return [];
  const pathsOf = (hashes: FileHashes = {}): string[] => Object.keys(hashes).map((file) => join(root, file));
  return findUnreadFiles([...expected], new Set(pathsOf(info.reads)), pathsOf(info.files)).map((path) => recordedPath(path, root));
}

async function confirm(question: string, options: AcceptCommandOptions, terminal: CommandContext['terminal']): Promise<boolean> {
  if (options.format || !terminal.ask) return false;
  return /^y(?:es)?$/i.test((await terminal.ask(question)).trim());
}

const countChanges = (files: readonly FileChanges[]): number => files.reduce((sum, { made, lines }) => sum + (lines ? 1 : made.length), 0);

/** `3 values in 1 file and 2 whole files`. */
function describeCount(files: readonly FileChanges[]): string {
  const [cells, whole] = [files.filter(({ lines }) => !lines), files.filter(({ lines }) => lines)];
  const parts = [
    ...(cells.length > 0 ? [`${formatCount(countChanges(cells), 'value')} in ${formatCount(cells.length, 'file')}`] : []),
    ...(whole.length > 0 ? [formatCount(whole.length, 'whole file')] : []),
  ];
  return parts.join(' and ');
}

function isUnchanged(path: string, before: Uint8Array | undefined): boolean {
  const exists = existsSync(path);
  return before ? exists && Buffer.from(before).equals(readFileSync(path)) : !exists;
}

function replaceWholeFiles(changes: readonly FileChange[], record: string, root: string, nameFile: (file: string) => string): EditedFiles {
  const { files, refused } = chooseContents(changes, (name) => readFileSync(join(record, 'attachments', name)));
  const edited: EditedFile[] = [];
  const outside: Refusal[] = [];
  for (const { file, content, isNew, cases } of files) {
    const path = file.startsWith('file:') ? fileURLToPath(file) : undefined;
    if (path === undefined || !isInside(path, root)) {
      outside.push({ where: { file }, reason: 'the file is not in the project', cases });
      continue;
    }
    const before = existsSync(path) ? readFileSync(path) : undefined;
    // A file that was new in the run exists now. The content was computed without it.
    if (isNew && before)
      throwProblem({ code: 'unreadable-file', path: nameFile(file), reason: 'it was created since the run. Run the tests again, then accept.' });
    const after = keepLineEndings(before, content);
    edited.push({ path, name: nameFile(file), before, after, made: [], cases, lines: describeContent(before, after) });
  }
  return { files: edited, refused: [...refused, ...outside] };
}

function describeContent(before: Uint8Array | undefined, after: Uint8Array): readonly string[] {
  if (!before) return [`new file of ${formatCount(after.length, 'byte')}`];
  return describeLines(before, after) ?? [`${formatCount(before.length, 'byte')} → ${formatCount(after.length, 'byte')}`];
}

async function editFiles(changes: readonly CellChange[], root: string, nameFile: (file: string) => string): Promise<EditedFiles> {
  const byFile = new Map<string, CellChange[]>();
  for (const change of changes) {
    const known = byFile.get(change.file);
    if (known) known.push(change);
    else byFile.set(change.file, [change]);
  }
  const files: EditedFile[] = [];
  const refused: Refusal[] = [];
  for (const [file, all] of byFile) {
    const path = file.startsWith('file:') ? fileURLToPath(file) : undefined;
    if (path === undefined || !isInside(path, root)) {
      refused.push(...all.map((change) => refuseChange(change, 'the file is not in the project')));
      continue;
    }
    const before = readFileSync(path);
    const edited = await editFile(before, recordedPath(path, root), all);
    files.push({ path, name: nameFile(file), before, after: edited.content, made: edited.made });
    refused.push(...edited.refused);
  }
  return { files, refused };
}
