import { buildField, findPrimePowerFrom } from './galois.ts';

/** Rows over axes with the same number of levels, in which every combination of any `strength` axes occurs. */
type Rows = readonly (readonly number[])[];

/** Searches for rows if no better construction is known, for numbers of axes and levels and a strength. */
export type SearchFallback = (axes: number, levels: number, strength: number) => Rows;

/** A combined construction searches for its parts only up to this number of combinations. */
const MAX_SEARCHED_COMBINATIONS = 30_000;

/**
 * The fewest rows that known constructions give for equal axes. Smaller parts are searched if that gives fewer.
 *
 * | strength | axes | rows |
 * | --- | --- | --- |
 * | 2, binary | up to C(n-1, ⌈n/2⌉) | n (Katona; Kleitman and Spencer, 1973) |
 * | t | up to q+1, q a prime power | q^t: polynomials below degree t at each point (K. A. Bush, 1952) |
 * | 3, q even | q+2 | q^3 (Bush) |
 * | 2 | k·q or k·(q+1) | those of k, and q²-q or q² (products: Colbourn, Martirosyan, Mullen, Shasha, Sherwood and Yucas, 2006) |
 * | 3 | 2k | those of k, and (v-1) times those of strength 2 (doubling: Roux, 1987; Chateauneuf and Kreher, 2002) |
 *
 * If q is larger than `levels`, the additional levels become -1: any level will do.
 */
export function construct(axes: number, levels: number, strength: number, fallback: SearchFallback): Rows | undefined {
  const known: (() => Rows | undefined)[] = [
    () => (strength === 2 && levels === 2 ? constructBinaryPairs(axes) : undefined),
    () => constructPolynomials(axes, levels, strength),
    () => (strength === 2 ? constructProducts(axes, levels, fallback) : undefined),
    () => (strength === 3 && axes > 3 ? constructDoubled(axes, levels, fallback) : undefined),
  ];
  return chooseFewest(known.map((make) => make()));
}

const chooseFewest = (candidates: readonly (Rows | undefined)[]): Rows | undefined =>
  candidates.reduce((best, rows) => (rows && (!best || rows.length < best.length) ? rows : best), undefined);

/** Constructed or searched, whichever has fewer rows. */
function findBest(axes: number, levels: number, strength: number, fallback: SearchFallback): Rows {
  const constructed = construct(axes, levels, strength, fallback);
  // Neither an orthogonal array nor the binary optimum can be improved.
  const optimal = constructed && (constructed.length === levels ** strength || (levels === 2 && strength === 2));
  const few = computeBinomial(axes, strength) * levels ** strength <= MAX_SEARCHED_COMBINATIONS;
  if (constructed && (optimal || !few)) return constructed;
  return chooseFewest([constructed, fallback(axes, levels, strength)]) as Rows;
}

function computeBinomial(n: number, k: number): number {
  let product = 1;
  for (let i = 1; i <= k; i++) product = (product * (n - k + i)) / i;
  return Math.round(product);
}

/** A row of zeros. In the rows below it, each axis chooses a different half of the rows, so that no two axes agree or disagree everywhere. */
function constructBinaryPairs(axes: number): Rows {
  let size = 4;
  while (computeBinomial(size - 1, Math.ceil(size / 2)) < axes) size++;
  const columns: number[][] = [];
  const choose = (from: number, chosen: readonly number[]): void => {
    if (columns.length === axes) return;
    if (chosen.length === Math.ceil(size / 2)) columns.push(Array.from({ length: size - 1 }, (_, row) => (chosen.includes(row) ? 1 : 0)));
    else for (let row = from; row < size - 1; row++) choose(row + 1, [...chosen, row]);
  };
  choose(0, []);
  return [columns.map(() => 0), ...Array.from({ length: size - 1 }, (_, row) => columns.map((column) => column[row] as number))];
}

/** All polynomials below a degree, each evaluated at every point of a field and at infinity. */
function constructPolynomials(axes: number, levels: number, strength: number): Rows | undefined {
  const size = findPrimePowerFrom(levels);
  if (axes > size + 1 && !(strength === 3 && size % 2 === 0 && axes === size + 2)) return undefined;
  if (size ** strength > 100_000) return undefined;
  const field = buildField(size);
  return Array.from({ length: size ** strength }, (_, code) => {
    const coefficients = Array.from({ length: strength }, (_, i) => Math.floor(code / size ** i) % size);
    const values = Array.from({ length: size }, (_, point) =>
      coefficients.reduceRight((value, coefficient) => field.add(field.multiply(value, point), coefficient), 0),
    );
    // The value at infinity is the leading coefficient. In even fields, the middle coefficient of a quadratic is independent, too.
    return [...values, coefficients.at(-1) as number, coefficients[1] as number].slice(0, axes).map((level) => (level < levels ? level : -1));
  });
}

/**
 * Axes in groups, with two numbers for each: the first rows distinguish groups, the others the axes of a group.
 *
 * Axes of one group agree in the first rows, which therefore contain every pair of equal levels: the constant rows of the second part can
 * be removed.
 */
function constructProducts(axes: number, levels: number, fallback: SearchFallback): Rows | undefined {
  const size = findPrimePowerFrom(levels);
  if (axes <= size + 1) return undefined;
  const product = (width: number, inner: Rows): Rows => {
    const groups = findBest(Math.ceil(axes / width), levels, 2, fallback);
    const numbered = Array.from({ length: axes }, (_, axis) => axis);
    return [
      ...groups.map((row) => numbered.map((axis) => row[Math.floor(axis / width)] as number)),
      ...inner.map((row) => numbered.map((axis) => row[axis % width] as number)),
    ];
  };
  const field = constructPolynomials(size + 1, levels, 2) as Rows;
  const isConstant = (row: readonly number[]): boolean => row.slice(0, size).every((level) => level === row[0]);
  return chooseFewest([
    product(size + 1, field),
    product(
      size,
      field.filter((row) => !isConstant(row)),
    ),
  ]);
}

/** Each axis twice: rows in which both agree, then pairs in which the second is shifted by each distance. */
function constructDoubled(axes: number, levels: number, fallback: SearchFallback): Rows {
  const half = Math.ceil(axes / 2);
  const triples = findBest(half, levels, 3, fallback);
  const pairs = findBest(half, levels, 2, fallback);
  const shifted = (row: readonly number[], by: number): number[] => row.map((level) => (level < 0 ? level : (level + by) % levels));
  const twice = (row: readonly number[], by: number): number[] => [...row, ...shifted(row, by)].slice(0, axes);
  return [...triples.map((row) => twice(row, 0)), ...Array.from({ length: levels - 1 }, (_, by) => pairs.map((row) => twice(row, by + 1))).flat()];
}
