import { throwProblem } from '../problems/problem-error.ts';
import { type Annotations, mergeAnnotations } from './annotations.ts';
import { formatValuesName } from './ids.ts';
import type { RowEntry, RowPlace } from './row.ts';

type NamedRow = Pick<RowEntry, 'row' | 'name'>;

/** Joins the names of two rows. If only one has a name, the values of the other are its name. Undefined if neither has one. */
export function joinNames(left: NamedRow, right: NamedRow): string | undefined {
  if (left.name === undefined && right.name === undefined) return undefined;
  return [left, right]
    .map(({ name, row }) => name ?? formatValuesName(row))
    .filter(Boolean)
    .join(', ');
}

/** Merges two entries: their names are joined, and their annotations add up. */
export function mergeEntries(left: RowEntry, right: RowEntry): RowEntry {
  return {
    row: { ...left.row, ...right.row },
    name: joinNames(left, right),
    annotations:
      left.annotations && right.annotations ? mergeAnnotations<Annotations>(left.annotations, right.annotations) : (left.annotations ?? right.annotations),
    location: right.location ?? left.location,
    lines: right.location ? right.lines : left.lines,
    ...((left.others || right.others || (left.location && right.location)) && { others: listOtherPlaces(left, right) }),
    problems: left.problems || right.problems ? [...(left.problems ?? []), ...(right.problems ?? [])] : undefined,
  };
}

/** The places of the rows of a merged entry, except the one that is its location. */
function listOtherPlaces(left: RowEntry, right: RowEntry): readonly RowPlace[] {
  const outer = left.location && right.location ? [{ location: left.location, lines: left.lines ?? 1 }] : [];
  return [...outer, ...(left.others ?? []), ...(right.others ?? [])];
}

/** Merges two entries without a common column. Throws a ProblemError if they have one. */
export function mergeDistinct(left: RowEntry, right: RowEntry, operation: string): RowEntry {
  const shared = Object.keys(left.row).filter((column) => Object.hasOwn(right.row, column));
  if (shared.length) throwProblem({ code: 'overlapping-columns', columns: shared, operation });
  return mergeEntries(left, right);
}
