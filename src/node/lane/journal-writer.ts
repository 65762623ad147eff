import { closeSync, openSync, writeSync } from 'node:fs';
import { JOURNAL_VERSION, type JournalEntry } from '../../results/journal/entries.ts';
import { JournalBytes } from '../../results/journal/journal-bytes.ts';
import type { CaseAttempt } from '../../running/case-attempt.ts';
import { now, stringify } from '../../running/globals.ts';

/** The number of bytes that are written at once. */
const MAX_WAITING_BYTES = 64 * 1024;
/** The longest time that an entry waits for others, in milliseconds. */
const MAX_WAIT_MS = 1;

/** The location of a row that is not in a file. */
const nowhere = { line: 0, column: 1 };

const write = writeSync;

/** Appends entries to a lane's journal: immediately if their loss would matter, else in blocks. */
export class JournalWriter {
  readonly #file: number;
  readonly #onWriteError: (error: Error) => void;
  readonly #waiting = new JournalBytes(stringify);
  #lastFlush = now();

  /** `onWriteError` receives the reason if writing fails: a full disk, a removed folder. */
  constructor(path: string, lane: number, onWriteError: (error: Error) => void) {
    this.#onWriteError = onWriteError;
    this.#file = openSync(path, 'a');
    this.put({ type: 'header', version: JOURNAL_VERSION, lane }, true);
  }

  /**
   * Writes a case that passed without details. `start` is relative to the start of the lane. Returns false if a compact line cannot contain
   * its row under its test's columns.
   */
  pass(run: CaseAttempt, start: number, columns: readonly string[]): boolean {
    const { planned, setup, body, teardown, checksPassed } = run;
    const { test, ordinal, duplicateIndex, entry, redactedRow: row } = planned;
    const { line, column } = entry.location ?? nowhere;
    const pass = { test: test.index, ordinal, duplicateIndex, start, setup, body, teardown, checks: checksPassed, line, column, row };
    if (!this.#waiting.pass(pass, columns)) return false;
    if (this.#waiting.length >= MAX_WAITING_BYTES || run.begun + setup + body + teardown - this.#lastFlush >= MAX_WAIT_MS) this.flush();
    return true;
  }

  put(entry: JournalEntry, atOnce = false): void {
    this.#waiting.put(entry);
    if (atOnce || this.#waiting.length >= MAX_WAITING_BYTES || now() - this.#lastFlush >= MAX_WAIT_MS) this.flush();
  }

  flush(): void {
    this.#lastFlush = now();
    const bytes = this.#waiting.take();
    this.#tryWriting(() => {
      for (let at = 0; at < bytes.length; ) at += write(this.#file, bytes, at);
    });
  }

  close(): void {
    this.flush();
    // A test can have closed the file.
    this.#tryWriting(() => closeSync(this.#file));
  }

  #tryWriting(callback: () => void): void {
    try {
      callback();
    } catch (error) {
      this.#onWriteError(error as Error);
    }
  }
}
