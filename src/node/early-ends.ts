import type { JournalEntry } from '../results/journal/entries.ts';
import type { LaneState } from '../results/lane-state.ts';
import { attributeEnd } from './lane-end.ts';
import type { LaneEnd } from './lane-process.ts';
import { findLastCase, type LaneSlot } from './lane-slot.ts';

/** The number of consecutive processes that end early without a new result before the run is given up. */
const MAX_ENDS_WITHOUT_RESULT = 3;

/** Records the early ends of processes, and what the next processes leave out. */
export class EarlyEnds {
  /** Files that ended a process while they were loaded. */
  readonly unloadableFiles: string[] = [];
  /** The numbers of tests whose rows ended a process while they were read. */
  readonly unreadableTests = new Set<number>();
  readonly #root: string;
  readonly #write: (entry: JournalEntry) => void;
  /** The cases that ended a process. A case that ends a second process does not count as progress. */
  readonly #charged = new Set<string>();
  #fruitless = 0;

  constructor(root: string, write: (entry: JournalEntry) => void) {
    this.#root = root;
    this.#write = write;
  }

  /** Records the fixtures that a dead process did not tear down, and a process that stopped responding while it ran no case. */
  report(slot: LaneSlot, lane: LaneState, end: LaneEnd): void {
    if (!lane.finished)
      for (const { fixture, owner } of lane.liveFixtures.values()) this.#write({ type: 'problem', problem: { code: 'teardown-lost', fixture, owner } });
    if (end.overdue && lane.activity === undefined)
      this.#write({ type: 'warning', problem: { code: 'lane-unresponsive', lane: slot.number, last: findLastCase(slot.journals.at(-1) as string) } });
  }

  /** Attributes the crash of a process. `isFruitless`: several processes in a row ended without a new result. */
  attribute(slot: LaneSlot, lane: LaneState, end: LaneEnd, hasNewResults: boolean): { isHopeless: boolean; isFruitless: boolean } {
    const { entries, isSure, isHopeless = false, unloadableFile, unreadableTest } = attributeEnd(lane, end, this.#root, slot.isolatesCases);
    if (unloadableFile !== undefined) this.unloadableFiles.push(unloadableFile);
    if (unreadableTest !== undefined) this.unreadableTests.add(unreadableTest);
    const isNew = this.#recordOnce(entries);
    if (!isHopeless) {
      const isProgress = (hasNewResults && isNew) || unloadableFile !== undefined || unreadableTest !== undefined;
      this.#fruitless = isProgress ? 0 : this.#fruitless + 1;
      // If the case is not known, the rest of the work unit runs one case at a time.
      slot.isolatesCases = !isSure;
    }
    return { isHopeless, isFruitless: this.#fruitless >= MAX_ENDS_WITHOUT_RESULT };
  }

  /** Records entries for a dead process. Returns false if an earlier process ended in the same case. */
  #recordOnce(entries: readonly JournalEntry[]): boolean {
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
