declare const impossible: unique symbol;

/** Which of a matrix' combinations become rows. */
export interface MatrixOptions<Row> {
  /** 'all' combinations (the default), or a strength from 1 to 6: enough rows that each combination of any so many axes' values stands in one. */
  strength?: 'all' | number | undefined;
  /** Groups of axes to cover more strongly than the rest. */
  mixedStrength?: readonly { axes: readonly (keyof Row)[]; strength: number }[] | undefined;
  /** Combinations that cannot occur: never generated, and not owed. Each names the axes that it reads. */
  exclude?:
    | (
        | readonly Exclusion<Row>[]
        | ((never: <const K extends keyof Row>(reads: readonly K[], when: (row: Pick<Row, K>) => boolean) => Exclusion<Row>) => readonly Exclusion<Row>[])
      )
    | undefined;
  /** Rows that must be there; what they cover is not covered again. */
  include?: readonly Partial<Row>[] | undefined;
  /** Of the search; 1 unless said. The same seed gives the same rows on any machine. */
  seed?: number | undefined;
  /** How long to look for fewer rows; the same effort and seed give the same rows. */
  effort?: 'quick' | 'thorough' | undefined;
}

/** A combination that cannot occur: a value or a list of values for each of some axes, or what `never` gives for a predicate. */
export type Exclusion<Row> = { [K in keyof Row]?: Row[K] | readonly Row[K][] } | { readonly [impossible]: 'impossible' };
