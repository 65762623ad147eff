import { findLocation } from '../problems/source-location.ts';
import { findFile, type Group, type PlannedTest } from './planned.ts';

/** Counts the tests that `file:line` selects at the location of a test. Indexes each file once, on demand. */
export class TestsOnLine {
  readonly #files = new Map<Group, ReadonlyMap<number, ReadonlySet<PlannedTest>>>();

  /** Undefined for a test that is defined in another file: no line of its file selects it. */
  count(test: PlannedTest): number | undefined {
    const place = findLocation(test.test.origin);
    if (place === undefined || place.file !== test.base?.href) return undefined;
    const file = findFile(test);
    let lines = this.#files.get(file);
    if (!lines) this.#files.set(file, (lines = indexTests(file, place.file)));
    return lines.get(place.line)?.size;
  }
}

/** Maps each line of a file to the tests that begin there, alone or in a suite that does. */
function indexTests(file: Group, url: string): ReadonlyMap<number, ReadonlySet<PlannedTest>> {
  const lines = new Map<number, Set<PlannedTest>>();
  const visit = (node: Group | PlannedTest): readonly PlannedTest[] => {
    const tests = node.kind === 'test' ? [node] : node.children.flatMap(visit);
    const place = findLocation(node.kind === 'test' ? node.test.origin : node.origin);
    if (place?.file !== url) return tests;
    const known = lines.get(place.line) ?? new Set();
    lines.set(place.line, known);
    for (const test of tests) known.add(test);
    return tests;
  };
  visit(file);
  return lines;
}
