import type { Place } from './place.ts';

/** Everything that can be wrong with what the user wrote, as data. `wording.ts` says it in words; formats lay it out. */
export type Problem = { readonly at?: Place | undefined } & (
  | { readonly code: 'unknown-placeholder'; readonly title: string; readonly placeholder: string; readonly known: readonly string[] }
  | { readonly code: 'unclosed-placeholder'; readonly title: string }
  | { readonly code: 'repeated-column'; readonly column: string; readonly source: string }
  | { readonly code: 'shared-column'; readonly columns: readonly string[]; readonly operation: string }
  | { readonly code: 'unequal-lengths'; readonly left: number; readonly right: number }
  | { readonly code: 'row-length'; readonly row: number; readonly cells: number; readonly columns: readonly string[] }
  | { readonly code: 'not-a-row'; readonly row: number; readonly got: string }
  | { readonly code: 'empty-source'; readonly title: string; readonly source: string }
  | { readonly code: 'axis-without-values'; readonly axis: string }
  | { readonly code: 'repeated-value'; readonly axis: string; readonly value: string }
  | { readonly code: 'nothing-possible' }
  | { readonly code: 'too-much-to-cover'; readonly owed: number; readonly limit: number; readonly strength: number; readonly axes: number }
  | { readonly code: 'impossible-value'; readonly axis: string; readonly value: string }
  | { readonly code: 'undecided'; readonly count: number }
  | { readonly code: 'impossible-row'; readonly row: string }
  | { readonly code: 'endless-source'; readonly limit: number }
  | { readonly code: 'source-threw'; readonly source: string; readonly reason: string }
  | { readonly code: 'several-files'; readonly path: string; readonly files: readonly string[] }
  | { readonly code: 'missing-file'; readonly path: string; readonly near: readonly string[] }
  | { readonly code: 'unreadable-file'; readonly path: string; readonly reason: string }
  | { readonly code: 'other-encoding'; readonly encoding: string }
  | { readonly code: 'zero-byte' }
  | { readonly code: 'no-file-reader'; readonly path: string }
  | { readonly code: 'no-listing'; readonly path: string }
  | { readonly code: 'unknown-format'; readonly path: string; readonly known: readonly string[] }
  | { readonly code: 'missing-column'; readonly column: string; readonly known: readonly string[] }
  | { readonly code: 'bad-cell'; readonly column: string; readonly text: string; readonly wanted: string; readonly hint?: string | undefined }
  | { readonly code: 'empty-cell'; readonly column: string; readonly wanted: string }
  | { readonly code: 'cell-error'; readonly column: string; readonly shown: string | undefined }
  | { readonly code: 'empty-record' }
  | { readonly code: 'separator-line'; readonly text: string; readonly delimiter: string | undefined }
  | { readonly code: 'other-line-break' }
  | { readonly code: 'other-delimiter'; readonly delimiter: string }
  | { readonly code: 'unread-column'; readonly column: string; readonly known: readonly string[] }
  | { readonly code: 'schema-issue'; readonly column: string | undefined; readonly message: string }
  | { readonly code: 'broken-document'; readonly reason: string }
  | { readonly code: 'repeated-key'; readonly key: string }
  | { readonly code: 'no-list'; readonly path: string | undefined; readonly got: string }
  | { readonly code: 'not-an-object'; readonly got: string }
  | { readonly code: 'record-length'; readonly cells: number; readonly columns: number }
  | { readonly code: 'unclosed-quote' }
  | { readonly code: 'long-record'; readonly limit: number }
  | { readonly code: 'bad-heading'; readonly heading: string }
  | { readonly code: 'no-header' }
  | { readonly code: 'nothing-exported'; readonly file: string; readonly exports: readonly string[] }
  | { readonly code: 'other-copy'; readonly title: string; readonly owner: string }
  | { readonly code: 'exported-twice'; readonly title: string; readonly names: readonly string[] }
  | { readonly code: 'same-title'; readonly title: string; readonly id: string }
  | { readonly code: 'load-failed'; readonly file: string; readonly reason: string; readonly cause: 'throw' | 'exit' | 'timeout' | 'crash' }
  | { readonly code: 'no-such-name'; readonly kind: string; readonly name: string; readonly owner: string; readonly known: readonly string[] }
  | { readonly code: 'not-a'; readonly wanted: string; readonly got: string; readonly owner: string }
  | { readonly code: 'scope-too-short'; readonly fixture: string; readonly scope: string; readonly needs: string; readonly needsScope: string }
  | { readonly code: 'not-cloneable'; readonly fixture: string; readonly reason: string }
  | { readonly code: 'fixture-cycle'; readonly path: readonly string[] }
  | { readonly code: 'bind-threw'; readonly reason: string }
  | { readonly code: 'bad-date'; readonly text: string; readonly owner: string }
  | {
      readonly code: 'after-the-end';
      readonly what: 'check' | 'log' | 'step' | 'throw' | 'rejection' | 'clean-up';
      readonly id: string;
      readonly detail: string;
    }
  | { readonly code: 'idle-binding'; readonly fixture: string; readonly owner: string; readonly hidden: boolean }
  | { readonly code: 'fresh-setting'; readonly fixture: string; readonly scope: string; readonly owner: string; readonly rows: number }
  | { readonly code: 'stray-error'; readonly what: 'throw' | 'rejection'; readonly detail: string }
  | { readonly code: 'no-such-target'; readonly target: string; readonly reason: string }
  | { readonly code: 'lane-lost'; readonly reason: string }
  | { readonly code: 'other-plan' }
);
