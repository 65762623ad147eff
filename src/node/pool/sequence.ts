/**
 * Takes the numbered messages of one sender in order, each once. A sender repeats what it has no receipt for; a server that restarts
 * can lose what it has given a receipt for.
 */
export class Sequence {
  #last = 0;

  /** `repeated`: has been taken. `gap`: one before it is missing. */
  take(number: number): 'next' | 'repeated' | 'gap' {
    if (number <= this.#last) return 'repeated';
    if (number > this.#last + 1) return 'gap';
    this.#last = number;
    return 'next';
  }
}
