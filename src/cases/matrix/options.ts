declare const exclusionBrand: unique symbol;

/** Options of a matrix: which combinations become rows. */
export interface MatrixOptions<Row> {
  /** The strength, from 1 to 6: rows that cover every combination of values of any `strength` axes (2: pairwise). Default: 'all' combinations. */
  strength?: 'all' | number | undefined;
  /** Groups of axes to cover with a higher strength than the rest. */
  mixedStrength?: readonly { axes: readonly (keyof Row)[]; strength: number }[] | undefined;
  /**
   * More rows, so that the rows that fail identify what makes them fail: with 1, a single combination of up to `strength` values; with 2, one
   * or two of them. Needs a `strength`. Default: no more rows.
   */
  locate?: 1 | 2 | undefined;
  /** Combinations that cannot occur: no row contains them, and they need no cover. A predicate declares the axes that it reads. */
  exclude?: (readonly Exclusion<Row>[] | ((never: NeverFunction<Row>) => readonly Exclusion<Row>[])) | undefined;
  /** Rows, complete or partial, that must occur. What they cover is not covered again. */
  include?: readonly Partial<Row>[] | undefined;
  /** The seed of the search. The same seed gives the same rows on any machine. Default: 1. */
  seed?: number | undefined;
  /** How long to search for fewer rows. The same effort and seed give the same rows. Default: 'quick'. */
  effort?: 'quick' | 'thorough' | undefined;
}

/** Creates an exclusion from a predicate and the axes that it reads. */
export type NeverFunction<Row> = <const K extends keyof Row>(reads: readonly K[], when: (row: Pick<Row, K>) => boolean) => Exclusion<Row>;

/** A combination that cannot occur: a value or an array of values for some axes, or the result of `never` for a predicate. */
export type Exclusion<Row> = { [K in keyof Row]?: Row[K] | readonly Row[K][] } | { readonly [exclusionBrand]: true };
