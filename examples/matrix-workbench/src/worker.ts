import { matrix, ProblemError, verifyCoverage } from 'red-lattice';
import type { Value } from './model.ts';

export interface Job {
  readonly axes: Readonly<Record<string, readonly Value[]>>;
  readonly exclude: readonly Readonly<Record<string, readonly Value[]>>[];
  readonly mixedStrength: readonly { readonly axes: readonly string[]; readonly strength: number }[];
  readonly strength: number;
}

type Row = Readonly<Record<string, Value>>;

export interface Found {
  readonly rows: readonly Row[];
  /** For each row, the number of combinations that it is the first to contain. */
  readonly gains: readonly number[];
  readonly required: number;
  readonly missing: number;
  /** Pairs of values in no row: they cannot occur. */
  readonly impossible: readonly Row[];
  readonly seconds: number;
}

export type Said = { readonly found: Found } | { readonly problem: string };

/** Runs in a worker, so that a long search can be stopped. */
addEventListener('message', async ({ data }: MessageEvent<Job>) => {
  const { axes, exclude, mixedStrength, strength } = data;
  const begun = performance.now();
  try {
    const options = { strength, exclude, mixedStrength };
    const rows: Row[] = [];
    for await (const row of matrix(axes, options)) rows.push(row);
    const { required, missing } = verifyCoverage(axes, rows, options);
    const impossible = pairsOf(axes).filter((pair) => !rows.some((row) => Object.entries(pair).every(([name, value]) => row[name] === value)));
    postMessage({
      found: {
        rows,
        gains: gainsOf(rows, Object.keys(axes), strength),
        required: required,
        missing: missing.length,
        impossible: strength >= 2 ? impossible : [],
        seconds: (performance.now() - begun) / 1000,
      },
    } satisfies Said);
  } catch (error) {
    postMessage({ problem: error instanceof ProblemError || error instanceof Error ? error.message : String(error) } satisfies Said);
  }
});

function pairsOf(axes: Job['axes']): Row[] {
  const names = Object.keys(axes);
  return names.flatMap((a, i) => names.slice(i + 1).flatMap((b) => (axes[a] ?? []).flatMap((x) => (axes[b] ?? []).map((y) => ({ [a]: x, [b]: y })))));
}

/** Rows in order, each with the combinations that no row before it contains. */
function gainsOf(rows: readonly Row[], names: readonly string[], strength: number): number[] {
  const sets = setsOf(names, Math.min(strength, names.length));
  const seen = new Set<string>();
  return rows.map((row) => {
    const before = seen.size;
    for (const set of sets) seen.add(JSON.stringify(set.map((name) => [name, row[name]])));
    return seen.size - before;
  });
}

const setsOf = (names: readonly string[], size: number): string[][] =>
  size === 0 ? [[]] : names.flatMap((name, i) => setsOf(names.slice(i + 1), size - 1).map((rest) => [name, ...rest]));
