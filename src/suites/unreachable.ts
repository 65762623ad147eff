import type { Problem } from '../problems/problem.ts';
import { findLocation } from '../problems/source-location.ts';
import { SuiteImpl, TestImpl } from './suite.ts';

type Item = SuiteImpl | TestImpl;

/** Finds tests and suites that a test file creates and does not export, directly or inside an exported suite. */
export function findUnreachable(created: readonly object[], reached: ReadonlySet<Item>, files: ReadonlySet<string>): Problem[] {
  // An adapted suite shares the children of its base.
  const children = new Set([...reached].flatMap((item) => (item instanceof SuiteImpl ? [item.children] : [])));
  const isReached = (item: Item): boolean => reached.has(item) || (item instanceof SuiteImpl && children.has(item.children));
  const unreached = created.filter((item): item is Item => (item instanceof SuiteImpl || item instanceof TestImpl) && !isReached(item));
  // A suite is reported without its contents.
  const inside = new Set<unknown>(unreached.flatMap((item) => (item instanceof SuiteImpl && Array.isArray(item.children) ? item.children : [])));
  return unreached.flatMap((item): Problem[] => {
    const at = inside.has(item) ? undefined : findLocation(item.origin);
    if (!at || !files.has(at.file)) return [];
    return [{ code: 'unreachable-test', kind: item instanceof SuiteImpl ? 'suite' : 'test', title: item.title, at }];
  });
}
