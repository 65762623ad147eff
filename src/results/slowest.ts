/** An item with its duration. */
interface TimedItem {
  readonly title: string;
  readonly milliseconds: number;
}

type Titled = Pick<TimedItem, 'title'>;

/** Many items, whose titles are read on demand. */
interface TimedBlock {
  /** The duration of the longest item. */
  readonly longest: number;
  /** All items with their milliseconds. */
  readonly all: () => Iterable<readonly [Titled, number]>;
}

/**
 * Keeps the items with the longest durations.
 *
 * Blocks are kept up to the same number: the longest items are in those blocks whose longest item is longest.
 */
export class Slowest {
  readonly #capacity: number;
  readonly #single: TimedItem[] = [];
  readonly #blocks: TimedBlock[] = [];

  constructor(capacity: number) {
    this.#capacity = capacity;
  }

  /** Adds an item. Its title is read only if it is kept. */
  take(one: Titled, milliseconds: number): void {
    if (this.#single.length === this.#capacity && milliseconds <= (this.#single.at(-1) as TimedItem).milliseconds) return;
    insert(this.#single, { title: one.title, milliseconds }, (item) => item.milliseconds, this.#capacity);
  }

  takeBlock(block: TimedBlock): void {
    insert(this.#blocks, block, ({ longest }) => longest, this.#capacity);
  }

  get items(): readonly TimedItem[] {
    const whole = new Slowest(this.#capacity);
    for (const one of this.#single) whole.take(one, one.milliseconds);
    for (const { all } of this.#blocks) for (const [one, milliseconds] of all()) whole.take(one, milliseconds);
    return whole.#single;
  }
}

/** Inserts an item after those of equal duration, and drops what exceeds the capacity. */
function insert<T>(items: T[], item: T, timeOf: (item: T) => number, capacity: number): void {
  const time = timeOf(item);
  const at = items.findIndex((other) => timeOf(other) < time);
  items.splice(at < 0 ? items.length : at, 0, item);
  items.length = Math.min(items.length, capacity);
}
