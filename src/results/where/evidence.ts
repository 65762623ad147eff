/**
 * How much more likely statuses are if failures have a rate of their own inside a set of rows and another outside: the logarithm
 * of the ratio of both marginal likelihoods, each rate with Jeffreys' prior (H. Jeffreys, 1946; the estimator of R. E. Krichevsky
 * and V. K. Trofimov, 1981).
 */
export class Evidence {
  /** The logarithm of gamma for integers and half-integers from 1/2: entry `i` is that of `(i + 1) / 2`. */
  readonly #logGamma: Float64Array;
  readonly #failing: number;
  readonly #passing: number;
  readonly #alone: number;

  constructor(failing: number, passing: number) {
    this.#failing = failing;
    this.#passing = passing;
    const table = new Float64Array(2 * (failing + passing) + 4);
    table[0] = Math.log(Math.PI) / 2;
    table[1] = 0;
    // gamma(x + 1) = x gamma(x)
    for (let i = 2; i < table.length; i++) table[i] = (table[i - 2] as number) + Math.log((i - 1) / 2);
    this.#logGamma = table;
    this.#alone = this.#computeLikelihood(failing, passing);
  }

  #computeLikelihood(failing: number, passing: number): number {
    const table = this.#logGamma;
    return (table[2 * failing] as number) + (table[2 * passing] as number) - (table[2 * (failing + passing) + 1] as number);
  }

  /** The evidence for a set of rows by its numbers of failing and passing rows. Below zero if it fails no more often than the others. */
  of(failing: number, passing: number): number {
    if (failing * this.#passing <= passing * this.#failing) return Number.NEGATIVE_INFINITY;
    // The prior of the second rate, which the other side does not have: B(1/2, 1/2) is pi.
    return (
      this.#computeLikelihood(failing, passing) + this.#computeLikelihood(this.#failing - failing, this.#passing - passing) - this.#alone - Math.log(Math.PI)
    );
  }

  /** The smallest number of failing rows whose evidence exceeds a bound if no passing row is included. Infinite if no number does. */
  minFailing(bound: number): number {
    let [low, high] = [0, this.#failing + 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.of(middle, 0) > bound) high = middle;
      else low = middle + 1;
    }
    return low > this.#failing ? Number.POSITIVE_INFINITY : low;
  }
}
