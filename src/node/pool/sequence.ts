/**
 * Puts the numbered messages of one sender in order and removes repeated ones. A sender repeats messages that the server has not confirmed. A
 * server that restarts can lose messages that it has confirmed.
 */
export class Sequence {
  #last = 0;

  /** Returns `next` for the expected number, `repeated` for an earlier one, and `gap` if a number before it is missing. */
  take(number: number): 'next' | 'repeated' | 'gap' {
    if (number <= this.#last) return 'repeated';
    if (number > this.#last + 1) return 'gap';
    this.#last = number;
    return 'next';
  }
}
