import { closeSync, openSync, writeSync } from 'node:fs';
import { JOURNAL_VERSION, type JournalEntry } from '../../results/journal/entries.ts';
import { JournalBytes } from '../../results/journal/journal-bytes.ts';
import type { CaseAttempt } from '../../running/case-attempt.ts';
import { now, stringify } from '../../running/globals.ts';

/** Bytes. */
const MAX_WAITING_BYTES = 64 * 1024;
/** Milliseconds that an entry may wait for others. */
const MAX_WAIT_MS = 1;

/** The location of a row that is not in a file. */
const nowhere = { line: 0, column: 1 };

const write = writeSync;

/** Appends entries to a lane's journal: at once where a lost one would be missed, else in blocks. */
export class JournalWriter {
  readonly #file: number;
  readonly #onWriteError: (error: Error) => void;
  readonly #waiting = new JournalBytes(stringify);
  #lastFlush = now();

  /** `broken` hears why nothing can be written any more: a full disk, a folder that is gone. */
  constructor(path: string, lane: number, onWriteError: (error: Error) => void) {
    this.#onWriteError = onWriteError;
    this.#file = openSync(path, 'a');
    this.put({ type: 'header', version: JOURNAL_VERSION, lane }, true);
  }

  /**
   * A case that passed with nothing to say; `start` counts from the lane's begin. False where its row does not stand in a journal as it
   * is, under its test's columns.
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
    try {
      for (let at = 0; at < bytes.length; ) at += write(this.#file, bytes, at);
    } catch (error) {
      this.#onWriteError(error as Error);
    }
  }

  close(): void {
    this.flush();
    closeSync(this.#file);
  }
}
