import type { SourceLocation } from './source-location.ts';

/** The closed sets of names in which an unknown one is reported. */
export type NameKind = 'option' | 'setting' | 'tag' | 'axis' | 'value' | 'title' | 'preset' | 'scope' | 'sheet';

/** Activities that a case can leave behind. */
export type LateActivity = 'check' | 'log' | 'step' | 'error' | 'rejection' | 'cleanup' | 'exit';

/**
 * All problems in tests, data and configuration, as data: one code for each condition. `formatProblem` creates the message.
 */
export type Problem = { readonly at?: SourceLocation | undefined } & (
  | { readonly code: 'unknown-placeholder'; readonly title: string; readonly placeholder: string; readonly known: readonly string[] }
  | { readonly code: 'unclosed-placeholder'; readonly title: string }
  | { readonly code: 'duplicate-column'; readonly column: string; readonly source: string }
  | { readonly code: 'overlapping-columns'; readonly columns: readonly string[]; readonly operation: string }
  | { readonly code: 'zip-length-mismatch'; readonly left: number; readonly right: number }
  | { readonly code: 'row-length-mismatch'; readonly row: number; readonly cells: number; readonly columns: readonly string[] }
  | { readonly code: 'invalid-row'; readonly row: number; readonly got: string; readonly expected: 'array of cells' | 'object with columns' }
  | { readonly code: 'empty-source'; readonly title: string; readonly source: string }
  | { readonly code: 'empty-suite'; readonly title: string; readonly lacks: 'children' | 'variants' }
  | { readonly code: 'unreachable-test'; readonly kind: 'test' | 'suite'; readonly title: string }
  | { readonly code: 'empty-axis'; readonly axis: string }
  | { readonly code: 'duplicate-axis-value'; readonly axis: string; readonly value: string }
  | { readonly code: 'no-feasible-combination' }
  | { readonly code: 'coverage-limit-exceeded'; readonly required: number; readonly limit: number; readonly strength: number; readonly axes: number }
  | { readonly code: 'locate-limit-exceeded'; readonly required: number; readonly limit: number; readonly locate: 1 | 2 }
  | { readonly code: 'infeasible-value'; readonly axis: string; readonly value: string }
  | { readonly code: 'feasibility-unknown'; readonly count: number }
  | { readonly code: 'undeclared-axis'; readonly axis: string; readonly reads: readonly string[] }
  | { readonly code: 'infeasible-row'; readonly row: string }
  | { readonly code: 'too-many-rows'; readonly limit: number }
  | { readonly code: 'unreadable-value'; readonly column: string; readonly reason: string }
  | { readonly code: 'source-threw' | 'row-threw'; readonly source: string; readonly reason: string }
  | { readonly code: 'ambiguous-file'; readonly path: string; readonly files: readonly string[] }
  | { readonly code: 'missing-file'; readonly path: string; readonly near: readonly string[] }
  | { readonly code: 'unreadable-file'; readonly path: string; readonly reason: string }
  | { readonly code: 'invalid-encoding'; readonly encoding: string }
  | { readonly code: 'unexpected-nul' }
  | { readonly code: 'no-file-source'; readonly path: string }
  | { readonly code: 'no-file-list'; readonly path: string }
  | { readonly code: 'unknown-format'; readonly path: string; readonly known: readonly string[] }
  | { readonly code: 'missing-column'; readonly column: string; readonly known: readonly string[] }
  | { readonly code: 'invalid-cell'; readonly column: string; readonly text: string; readonly expected: string; readonly hint?: string | undefined }
  | { readonly code: 'empty-cell'; readonly column: string; readonly expected: string }
  | { readonly code: 'cell-error'; readonly column: string; readonly shown: string }
  | { readonly code: 'missing-formula-result'; readonly column: string }
  | { readonly code: 'empty-record' }
  | { readonly code: 'separator-line'; readonly text: string; readonly delimiter: string | undefined }
  | { readonly code: 'unsupported-line-ending' }
  | { readonly code: 'wrong-delimiter'; readonly delimiter: string }
  | { readonly code: 'unused-columns'; readonly columns: readonly string[]; readonly known: readonly string[] }
  | { readonly code: 'schema-issue'; readonly column: string | undefined; readonly message: string }
  | { readonly code: 'parse-error'; readonly reason: string }
  | { readonly code: 'duplicate-key'; readonly key: string }
  | { readonly code: 'expected-array'; readonly path: string | undefined; readonly got: string }
  | { readonly code: 'unknown-path'; readonly path: string; readonly key: string; readonly known: readonly string[] }
  | { readonly code: 'expected-object'; readonly got: string }
  | { readonly code: 'record-length-mismatch'; readonly cells: number; readonly columns: number }
  | { readonly code: 'unclosed-quote' }
  | { readonly code: 'record-too-long'; readonly limit: number }
  | { readonly code: 'invalid-heading'; readonly heading: string }
  | { readonly code: 'no-header' }
  | { readonly code: 'nothing-exported'; readonly file: string; readonly exports: readonly string[] }
  | { readonly code: 'duplicate-package'; readonly title: string; readonly owner: string }
  | { readonly code: 'exported-twice'; readonly title: string; readonly names: readonly string[] }
  | { readonly code: 'duplicate-title'; readonly title: string; readonly id: string }
  | { readonly code: 'load-failed'; readonly file: string; readonly reason: string; readonly cause: 'throw' | 'exit' | 'timeout' | 'crash' }
  | { readonly code: `unknown-${NameKind}`; readonly name: string; readonly owner: string; readonly known: readonly string[] }
  | { readonly code: 'invalid-type'; readonly expected: string; readonly got: string; readonly owner: string }
  | { readonly code: 'invalid-option'; readonly name: string; readonly expected: string; readonly got: string; readonly owner: string }
  | { readonly code: 'scope-too-short'; readonly fixture: string; readonly scope: string; readonly needs: string; readonly needsScope: string }
  | { readonly code: 'not-serializable'; readonly fixture: string; readonly reason: string }
  | { readonly code: 'fixture-cycle'; readonly path: readonly string[] }
  | { readonly code: 'children-threw'; readonly title: string; readonly reason: string }
  | { readonly code: 'overrides-threw'; readonly reason: string }
  | { readonly code: 'invalid-date'; readonly text: string; readonly owner: string }
  | { readonly code: `late-${LateActivity}`; readonly id: string; readonly detail: string }
  | { readonly code: 'unused-override'; readonly fixture: string; readonly owner: string; readonly hidden: boolean }
  | { readonly code: 'disposed-twice'; readonly fixture: string }
  | { readonly code: 'unstable-setting'; readonly fixture: string; readonly scope: string; readonly owner: string; readonly rows: number }
  | { readonly code: 'unhandled-error' | 'unhandled-rejection'; readonly detail: string }
  | { readonly code: 'unknown-target'; readonly target: string; readonly reason: string }
  | { readonly code: 'plan-timeout'; readonly limit: number }
  | { readonly code: 'plan-crash'; readonly reason: string }
  | { readonly code: 'plan-changed' }
  | { readonly code: 'plan-mismatch' }
  | { readonly code: 'repeated-crashes'; readonly reason: string }
  | { readonly code: 'teardown-failed'; readonly title: string; readonly reason: string }
  | { readonly code: 'teardown-lost'; readonly fixture: string; readonly owner: string }
  | { readonly code: 'run-fixtures-lost'; readonly reason: string }
  | { readonly code: 'malformed-journal'; readonly lane: number; readonly reason: string }
  | { readonly code: 'malformed-row'; readonly reason: string }
  | { readonly code: 'unit-lost' }
  | { readonly code: 'pool-client-missing' }
  | { readonly code: 'pool-unreachable'; readonly server: string; readonly reason: string }
  | { readonly code: 'pool-lost'; readonly server: string; readonly reason: string }
  | { readonly code: 'pool-machine-refused'; readonly machine: string; readonly reasons: readonly string[] }
  | {
      readonly code: 'pool-lane-lost';
      readonly machine: string;
      readonly lane: number;
      readonly reason: string;
      /** The ids of started cases, which run again. */
      readonly begun: readonly string[];
    }
  | { readonly code: 'pool-late-results'; readonly machine: string }
  | { readonly code: 'lane-unresponsive'; readonly lane: number; readonly last: string | undefined }
  | { readonly code: 'internal-error'; readonly reason: string }
  | { readonly code: 'more-problems'; readonly kind: string; readonly count: number }
  | { readonly code: 'results-lost'; readonly cases: number }
);
