import { worstFirst } from '../../../src/results/status-strip.ts';
import type { Status } from '../../../src/running/result.ts';
import { areRows } from './row-columns.ts';
import { type Item, isFailing, type TestItem, timeOf } from './store.ts';

/** A file, a suite or a test, with its cases that match the filter. */
export interface Node {
  readonly kind: 'file' | 'suite' | 'test';
  readonly key: string;
  readonly title: string;
  readonly depth: number;
  readonly children: Node[];
  readonly test: TestItem | undefined;
  items: Item[];
  cases: number;
  failing: number;
  milliseconds: number;
  status: Status;
}

/** A line of the list: a node, a case, or the names of the columns above cases. */
export type Line = { readonly key: string; readonly depth: number } & (
  | { readonly node: Node; readonly item?: undefined; readonly rows?: undefined }
  /** `rows`: the cases with which it shares columns, if the values of its row are its name. */
  | { readonly item: Item; readonly node?: undefined; readonly rows?: readonly Item[] | undefined }
  | { readonly item?: undefined; readonly node?: undefined; readonly rows: readonly Item[] }
);

export type Order = 'plan' | 'name' | 'time' | 'status';

/** Files, suites and tests in the order of the plan, with the matching cases. Without a condition, all cases. */
export function treeOf(tests: Iterable<TestItem>, keeps: ((item: Item) => boolean) | undefined): Node[] {
  const roots: Node[] = [];
  const known = new Map<string, Node>();
  for (const test of [...tests].sort((a, b) => a.header.test - b.header.test)) {
    const items = keeps ? test.items.filter(keeps) : [...test.items];
    if (items.length === 0) continue;
    const path = [test.header.file, ...test.header.path];
    let siblings = roots;
    const above: Node[] = [];
    for (const [depth, title] of path.entries()) {
      const isTest = depth === path.length - 1;
      const key = isTest ? `${test.header.test} ${test.header.id}` : path.slice(0, depth + 1).join(' › ');
      let node = known.get(key);
      if (!node) {
        node = {
          kind: isTest ? 'test' : depth === 0 ? 'file' : 'suite',
          key,
          title,
          depth,
          children: [],
          test: isTest ? test : undefined,
          items: [],
          cases: 0,
          failing: 0,
          milliseconds: 0,
          status: 'not-requested',
        };
        known.set(key, node);
        siblings.push(node);
      }
      siblings = node.children;
      above.push(node);
      if (isTest) node.items = items;
    }
    count(above, items);
  }
  return roots;
}

function count(nodes: readonly Node[], items: readonly Item[]): void {
  let failing = 0;
  let milliseconds = 0;
  let worst = worstFirst.length - 1;
  for (const { result } of items) {
    if (isFailing(result.status)) failing++;
    milliseconds += timeOf(result);
    worst = Math.min(worst, rank(result.status));
  }
  for (const node of nodes) {
    node.cases += items.length;
    node.failing += failing;
    node.milliseconds += milliseconds;
    node.status = worstFirst[Math.min(rank(node.status), worst)] as Status;
  }
}

const rank = (status: Status): number => worstFirst.indexOf(status);

/** The visible lines: open nodes with their contents, sorted. */
export function linesOf(roots: readonly Node[], isOpen: (node: Node) => boolean, order: Order): Line[] {
  const lines: Line[] = [];
  const nodes = (all: readonly Node[]): readonly Node[] => {
    if (order === 'plan') return all;
    const by: Record<Exclude<Order, 'plan'>, (a: Node, b: Node) => number> = {
      name: (a, b) => (a.title < b.title ? -1 : 1),
      time: (a, b) => b.milliseconds - a.milliseconds,
      status: (a, b) => rank(a.status) - rank(b.status) || b.failing - a.failing,
    };
    return [...all].sort(by[order]);
  };
  const cases = (all: readonly Item[]): readonly Item[] => {
    if (order === 'name') return [...all].sort((a, b) => (a.text < b.text ? -1 : 1));
    if (order === 'time') return [...all].sort((a, b) => timeOf(b.result) - timeOf(a.result));
    if (order === 'status') return [...all].sort((a, b) => rank(a.result.status) - rank(b.result.status) || a.result.ordinal - b.result.ordinal);
    return [...all].sort((a, b) => a.result.ordinal - b.result.ordinal);
  };
  const visit = (all: readonly Node[]): void => {
    for (const node of nodes(all)) {
      const only = node.kind === 'test' && node.items.length === 1 && node.test?.header.source === undefined ? node.items[0] : undefined;
      if (only) {
        lines.push({ key: only.result.id, depth: node.depth, item: only });
        continue;
      }
      lines.push({ key: node.key, depth: node.depth, node });
      if (!isOpen(node)) continue;
      visit(node.children);
      const rows = areRows(node.items) ? node.items : undefined;
      if (rows) lines.push({ key: `columns ${node.key}`, depth: node.depth + 1, rows });
      for (const item of cases(node.items)) lines.push({ key: item.result.id, depth: node.depth + 1, item, rows });
    }
  };
  visit(roots);
  return lines;
}
