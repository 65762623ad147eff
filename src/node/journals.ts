import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { JournalEntry } from '../results/journal.ts';
import { Tail } from './tail.ts';

/** The paths of a record's journals. */
export const journalsIn = (folder: string): string[] =>
  readdirSync(folder)
    .filter((name) => name.endsWith('.journal'))
    .sort()
    .map((name) => join(folder, name));

/** All that the journals of a folder hold, journal after journal, without keeping any of it; of all, or of those whose name begins so. */
export function* readJournals(folder: string, prefix = ''): Generator<JournalEntry> {
  for (const name of readdirSync(folder).sort()) {
    if (!name.endsWith('.journal') || !name.startsWith(prefix)) continue;
    const tail = new Tail(join(folder, name));
    yield* tail.read();
    tail.close();
  }
}
