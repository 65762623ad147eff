import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { JournalEntry } from '../results/journal.ts';
import { Tail } from './tail.ts';

/** All that the journals of a folder hold, journal after journal, without keeping any of it. */
export function* readJournals(folder: string): Generator<JournalEntry> {
  for (const name of readdirSync(folder).sort()) {
    if (!name.endsWith('.journal')) continue;
    const tail = new Tail(join(folder, name));
    yield* tail.read();
    tail.close();
  }
}
