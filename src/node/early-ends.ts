import type { JournalEntry } from '../results/journal/entries.ts';
import type { LaneState } from '../results/run-state.ts';
import { attributeEnd } from './lane-end.ts';
import type { LaneEnd } from './lane-process.ts';
import { type LaneSlot, lastCaseIn } from './lane-slot.ts';

/** Processes that end early one after the other without a result between them: then the fault is not a case's. */
const MAX_ENDS_WITHOUT_RESULT = 3;

/** Records what processes that ended early could not, and what the next ones leave out. */
export class EarlyEnds {
  /** Files that ended a process while they were loaded. */
  readonly unloadable: string[] = [];
  /** Tests, by their place in the plan, whose rows ended a process while they were read. */
  readonly unreadable = new Set<number>();
  readonly #root: string;
  readonly #write: (entry: JournalEntry) => void;
  /** The cases that ended a process. A case that ends a second process does not count as progress. */
  readonly #charged = new Set<string>();
  #fruitless = 0;

  constructor(root: string, write: (entry: JournalEntry) => void) {
    this.#root = root;
    this.#write = write;
  }

  /** Records the fixtures that a dead process did not tear down, and that it was silent while it ran no case. */
  report(slot: LaneSlot, lane: LaneState, end: LaneEnd): void {
    if (!lane.finished)
      for (const { fixture, owner } of lane.liveFixtures.values()) this.#write({ type: 'problem', problem: { code: 'teardown-lost', fixture, owner } });
    if (end.overdue && lane.doing === undefined)
      this.#write({ type: 'warning', problem: { code: 'lane-unresponsive', lane: slot.number, last: lastCaseIn(slot.journals.at(-1) as string) } });
  }

  /** Attributes the crash of a process. `isFruitless`: the last processes had no result between them. */
  attribute(slot: LaneSlot, lane: LaneState, end: LaneEnd, hasNewResults: boolean): { isHopeless: boolean; isFruitless: boolean } {
    const { entries, isSure, isHopeless = false, unloadable, unreadable } = attributeEnd(lane, end, this.#root, slot.careful);
    if (unloadable !== undefined) this.unloadable.push(unloadable);
    if (unreadable !== undefined) this.unreadable.add(unreadable);
    const isNew = this.#charge(entries);
    if (!isHopeless) {
      const isProgress = (hasNewResults && isNew) || unloadable !== undefined || unreadable !== undefined;
      this.#fruitless = isProgress ? 0 : this.#fruitless + 1;
      // Where it is not sure which case it was, the rest of the piece runs one by one until it is.
      slot.careful = !isSure;
    }
    return { isHopeless, isFruitless: this.#fruitless >= MAX_ENDS_WITHOUT_RESULT };
  }

  /** Records what a process has left behind. Returns false if it is what another process has left before. */
  #charge(entries: readonly JournalEntry[]): boolean {
    let isNew = true;
    for (const entry of entries) {
      const key = entry.type === 'ended' ? `${entry.result.test} ${entry.result.id}` : undefined;
      if (key !== undefined && this.#charged.has(key)) isNew = false;
      else this.#write(entry);
      if (key !== undefined) this.#charged.add(key);
    }
    return isNew;
  }
}
