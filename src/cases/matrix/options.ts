declare const impossible: unique symbol;

/** Which of a matrix' combinations become rows. */
export interface MatrixOptions<Row> {
  /** 'all' combinations (the default), or a strength from 1 to 6: enough rows that each combination of any so many axes' values stands in one. */
  cover?: 'all' | number | undefined;
  /** Groups of axes to cover more strongly than the rest. */
  stronger?: readonly { axes: readonly (keyof Row)[]; cover: number }[] | undefined;
  /** Combinations that cannot occur: never generated, and not owed. Each names the axes that it reads. */
  except?:
    | (
        | readonly Impossible<Row>[]
        | ((never: <const K extends keyof Row>(reads: readonly K[], when: (row: Pick<Row, K>) => boolean) => Impossible<Row>) => readonly Impossible<Row>[])
      )
    | undefined;
  /** Rows that must be there; what they cover is not covered again. */
  plus?: readonly Partial<Row>[] | undefined;
  /** Of the search; 1 unless said. The same seed gives the same rows on any machine. */
  seed?: number | undefined;
  /** How long to look for fewer rows; the same effort and seed give the same rows. */
  effort?: 'quick' | 'thorough' | undefined;
}

/** A combination that cannot occur: a value or a list of values for each of some axes, or what `never` gives for a predicate. */
export type Impossible<Row> = { [K in keyof Row]?: Row[K] | readonly Row[K][] } | { readonly [impossible]: 'impossible' };
