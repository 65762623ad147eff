/** What took longest: the most expensive few of all that come by. */
export class Slowest {
  readonly #most: number;
  readonly items: { readonly title: string; readonly milliseconds: number }[] = [];

  constructor(most: number) {
    this.#most = most;
  }

  wouldTake(milliseconds: number): boolean {
    return this.items.length < this.#most || milliseconds > (this.items.at(-1)?.milliseconds ?? 0);
  }

  /** A title is read only where it is kept. */
  take(one: { readonly title: string }, milliseconds: number): void {
    if (!this.wouldTake(milliseconds)) return;
    const at = this.items.findIndex((item) => item.milliseconds < milliseconds);
    this.items.splice(at < 0 ? this.items.length : at, 0, { title: one.title, milliseconds });
    this.items.length = Math.min(this.items.length, this.#most);
  }
}
