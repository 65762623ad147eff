import type { NarrowedResult } from '../results/narrowing/session.ts';
import type { Condition } from '../results/where/condition.ts';

interface JsonCondition {
  readonly column: string;
  readonly operator: '=' | '!=' | '>=' | '<=' | 'missing' | 'present';
  readonly value?: unknown;
}

/** A condition as comparisons. A range has up to two. */
function asComparisons(condition: Condition): JsonCondition[] {
  const { column } = condition;
  if (condition.kind === 'value') return [{ column, operator: '=', value: condition.value }];
  if (condition.kind === 'not') return [{ column, operator: '!=', value: condition.value }];
  if (condition.kind === 'missing' || condition.kind === 'present') return [{ column, operator: condition.kind }];
  const { from, to } = condition as Extract<Condition, { kind: 'range' }>;
  return [
    ...(from === undefined ? [] : [{ column, operator: '>=', value: from } as const]),
    ...(to === undefined ? [] : [{ column, operator: '<=', value: to } as const]),
  ];
}

/** `{ tests: [{ id, causes: [{ conditions, failed, passed, proven }], extraCases }] }`, for programs. */
export function narrowedAsJson(results: readonly NarrowedResult[]): string {
  const tests = results.map(({ header, causes, unexplained, probes }) => ({
    id: header.id,
    causes: causes.map(({ conditions, failed, passedWithout, isProven, smallest }) => ({
      conditions: conditions.flatMap(asComparisons),
      failed,
      passed: passedWithout,
      proven: isProven,
      ...(smallest.length > 0 && { smallest }),
    })),
    unexplained: unexplained.map(({ id, reason }) => ({ id, reason })),
    extraCases: probes.length,
  }));
  return `${JSON.stringify({ tests }, null, 2)}\n`;
}
