import { createHash } from 'node:crypto';
import { createReadStream, readFileSync } from 'node:fs';
import { relative, sep } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { fileURLToPath } from 'node:url';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { FileHashes } from '../results/run-info.ts';

/** In hexadecimal digits. */
const HASH_LENGTH = 32;
/** Milliseconds between the first new hash and its report. */
const REPORT_DELAY_MS = 200;

/** The path of a file as records contain it: from the root, with slashes. */
export const recordedPath = (path: string, root: string): string => relative(root, path).split(sep).join('/');

export const hashText = (content: string | Uint8Array): string => createHash('sha256').update(content).digest('hex').slice(0, HASH_LENGTH);

/** The content hash of a file, or undefined if it cannot be read. */
export function hashFile(path: string): string | undefined {
  try {
    return hashText(readFileSync(path));
  } catch {
    return undefined;
  }
}

/** The test files of a run by their content hashes. */
export const hashFiles = (files: readonly string[], root: string): FileHashes =>
  Object.fromEntries(files.map((file) => [recordedPath(file, root), hashFile(file) ?? '']));

/** The recorded path of a file of the project. Undefined for packages, files outside of the root, and URLs that are not files. */
export function findProjectFile(url: string, root: string): string | undefined {
  if (!url.startsWith('file:')) return undefined;
  const file = recordedPath(fileURLToPath(url), root);
  return file.startsWith('../') || file.includes('node_modules/') ? undefined : file;
}

/** Hashes the modules and data files that a run reads, during the run. Packages and files outside the root are left out. */
export class ReadFiles {
  readonly #root: string;
  readonly #testFiles: FileHashes;
  readonly #report: (hashes: FileHashes) => void;
  readonly #hashes: Record<string, string>;
  readonly #pending = new Map<string, Promise<void>>();
  #timer: NodeJS.Timeout | undefined;
  #ended = false;

  /** Calls `report` from time to time with all hashes so far. */
  constructor(root: string, testFiles: FileHashes, known: FileHashes | undefined, report: (hashes: FileHashes) => void) {
    this.#root = root;
    this.#testFiles = testFiles;
    this.#hashes = { ...known };
    this.#report = report;
  }

  take(entry: JournalEntry): void {
    if (entry.type === 'loaded') for (const url of entry.reads) this.#add(url);
    else if (entry.type === 'expected-file') this.#add(entry.file);
    else if (entry.type === 'test' && entry.header.data !== undefined) this.#add(entry.header.data);
  }

  /** Resolves to all hashes. */
  async end(): Promise<FileHashes> {
    this.#ended = true;
    clearTimeout(this.#timer);
    await Promise.all(this.#pending.values());
    return this.#hashes;
  }

  #add(url: string): void {
    const file = findProjectFile(url, this.#root);
    if (file === undefined || this.#pending.has(file) || this.#testFiles[file] !== undefined) return;
    this.#pending.set(file, this.#hash(fileURLToPath(url), file));
  }

  async #hash(path: string, file: string): Promise<void> {
    const hash = createHash('sha256');
    try {
      await pipeline(createReadStream(path), hash);
      this.#hashes[file] = hash.digest('hex').slice(0, HASH_LENGTH);
    } catch {
      // It was removed, or is not a file of this machine.
      return;
    }
    if (this.#ended) return;
    this.#timer ??= setTimeout(() => {
      this.#timer = undefined;
      this.#report({ ...this.#hashes });
    }, REPORT_DELAY_MS).unref();
  }
}
