import { readdirSync } from 'node:fs';
import { basename, join } from 'node:path';
import type { JournalEntry } from '../results/journal/entries.ts';
import type { EntryFilter } from '../results/journal/reader.ts';
import { JournalTail } from './journal-tail.ts';
import { laneProblems } from './lane-end.ts';

/** The paths of a record's journals. */
export const listJournals = (folder: string): string[] =>
  readdirSync(folder)
    .filter((name) => name.endsWith('.journal'))
    .sort()
    .map((name) => join(folder, name));

/** The entries of one journal. Empty if it does not exist. */
export function* readJournal(path: string): Generator<JournalEntry> {
  const tail = new JournalTail(path);
  for (const entries of tail.read()) yield* entries;
  tail.close();
}

const kept: ReadonlySet<JournalEntry['type']> = new Set(['test', 'ended', 'teardown-failed', 'running', 'override-usage'] as const);

/** Reads the results of an earlier run, and how it used overrides. Skips problems of its lanes: a resumed run loads all files again. */
export function* readEarlierResults(paths: readonly string[]): Generator<JournalEntry> {
  for (const path of paths) {
    for (const entry of readJournal(path)) {
      if (kept.has(entry.type) || (entry.type === 'problem' && !laneProblems.has(entry.problem.code))) yield entry;
    }
  }
}

/** Which entries to read. Default: all. */
interface JournalFilter extends EntryFilter {
  /** Only journals whose names start with this prefix. */
  readonly prefix?: string;
}

/** The entries of all journals in a folder, one after the other, without keeping them. */
export function* readJournals(folder: string, { prefix = '', ...filter }: JournalFilter = {}): Generator<JournalEntry> {
  for (const path of listJournals(folder)) {
    if (!basename(path).startsWith(prefix)) continue;
    const tail = new JournalTail(path, filter);
    // A plain loop, since there can be millions of entries.
    for (const entries of tail.read()) for (let at = 0; at < entries.length; at++) yield entries[at] as JournalEntry;
    tail.close();
  }
}
