/** Something that took its time. */
interface TimedItem {
  readonly title: string;
  readonly milliseconds: number;
}

type Titled = Pick<TimedItem, 'title'>;

/** Many at once, which are looked into only when somebody asks. */
interface TimedBlock {
  /** How long the longest of them took. */
  readonly longest: number;
  /** Each with its milliseconds. */
  readonly all: () => Iterable<readonly [Titled, number]>;
}

/**
 * What took longest: the most expensive few of all that come by.
 *
 * Of blocks no more are held than that: what is among the few stands in one of those few blocks whose longest took longest.
 */
export class Slowest {
  readonly #capacity: number;
  readonly #single: TimedItem[] = [];
  readonly #blocks: TimedBlock[] = [];

  constructor(capacity: number) {
    this.#capacity = capacity;
  }

  /** A title is read only where it is kept. */
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

/** Puts an item behind those that took as long, and drops what is past the most. */
function insert<T>(items: T[], item: T, timeOf: (item: T) => number, capacity: number): void {
  const time = timeOf(item);
  const at = items.findIndex((other) => timeOf(other) < time);
  items.splice(at < 0 ? items.length : at, 0, item);
  items.length = Math.min(items.length, capacity);
}
