import { namedRows, suite, test } from 'red-lattice';
import { reportAsMarkdown } from '../../src/formats/markdown.ts';
import type { RunInfo } from '../../src/results/run-info.ts';
import { applyEntry, createRunState, type RunState } from '../../src/results/run-state.ts';
import type { WhereItFails } from '../../src/results/where/causes.ts';
import { EMPTY_OUTCOME } from '../../src/running/outcome.ts';
import type { CaseResult, Failure } from '../../src/running/result.ts';

/** A run of tests `t0`, `t1` …, each with one case. */
function stateOf(results: readonly Partial<CaseResult>[]): RunState {
  const state = createRunState();
  for (const [number, result] of results.entries()) {
    const path = [`t${number}`];
    applyEntry(state, { type: 'test', header: { test: number, id: `a.ts#t${number}`, file: 'a.ts', path, tags: [], columns: [] } });
    const name = { test: number, ordinal: 0, id: `a.ts#t${number}`, title: `t${number}`, row: {}, tags: [] };
    applyEntry(state, { type: 'ended', result: { ...EMPTY_OUTCOME, ...name, status: 'passed', ...result, attachments: [] } });
  }
  return state;
}

const failure = (message: string, more: Partial<Failure> = {}): Failure => ({ cause: 'check', message, ...more });
const failed = (...failures: Failure[]): Partial<CaseResult> => ({ status: 'failed', failures });
const found = (combinations: number, isLikelyCause: boolean): WhereItFails => ({
  causes: [],
  elsewhere: { failing: 1, cases: 9 },
  suspects: {
    combinations: Array.from({ length: combinations }, (_, i) => ({ conditions: [{ kind: 'value', column: 'loa', value: i }], failing: 1 })) as never,
    ...{ size: 1, total: 9, cleared: 8, isLikelyCause },
  },
});

const report = (state: RunState, info: Partial<RunInfo> = {}, where = new Map<number, WhereItFails>()): string =>
  reportAsMarkdown(
    state,
    { tool: '0.1.0', node: 'v24.8.0', seed: 7, milliseconds: 1500, exitStatus: 1, ...info } as RunInfo,
    where,
    { find: () => undefined } as never,
    (file) => file.replace('/p/', ''),
  );

export const markdown = suite('Markdown for a merge request', [
  test('has {what}', {
    cases: namedRows<{ what: string; results: readonly Partial<CaseResult>[]; info?: object; where?: WhereItFails; parts: readonly string[] }>({
      passed: {
        what: 'one line for a run that passed',
        results: [{}],
        info: { exitStatus: 0 },
        parts: ['## ✓ 1 passed, 0 failed\n', '1.5 s (cases 0.0 ms) · seed 7 · Red Lattice 0.1.0, Node v24.8.0\n', 'All cases that ran passed.\n'],
      },
      unfinished: {
        what: 'what a run lacks that did not end',
        results: [{}],
        info: { milliseconds: undefined, exitStatus: undefined },
        parts: ['## ✗ ', '\nincomplete · seed 7'],
      },
      excused: {
        what: 'the reasons of skips with their numbers',
        results: [
          { status: 'skipped', reason: 'closed' },
          { status: 'skipped', reason: 'closed' },
          { status: 'known-failure', reason: '`rounding`' },
        ],
        parts: ['- 2 `skipped: closed`\n- 1 `` known failure: `rounding` ``\n'],
      },
      failures: {
        what: 'five failures of a case',
        results: [failed(...Array.from({ length: 7 }, (_, i) => failure(`off by ${'abcdefg'[i]}`, { note: 'dues' })))],
        parts: [
          '| `a.ts › t0` | 1 | 1 | 0.0 ms |',
          '`dues`: `off by a`\n',
          '`dues`: `off by e`\n',
          '… and 2 more failures\n',
          "Again:\n\n```sh\nnpx red-lattice run --id 'a.ts#t0'\n```",
        ],
      },
      values: {
        what: 'values behind a fence that they cannot end, and up to 1,500 characters',
        results: [failed(failure('not equal', { actual: '"```"', expected: 'x'.repeat(1501), location: { file: '/p/a.ts', line: 3, column: 5 } }))],
        parts: ['`not equal` at `a.ts:3:5`', 'actual\n\n````\n"```"\n````\n', `expected\n\n\`\`\`\n${'x'.repeat(1500)}\n… (truncated)\n\`\`\``],
      },
      accept: {
        what: 'the command that accepts computed values',
        results: [failed(failure('differs from n.txt', { differingFile: { file: 'file:///p/n.txt', attachment: 'computed n.txt' } }))],
        parts: ["To accept the computed values:\n\n```sh\nnpx red-lattice accept --id 'a.ts#t0'\n```"],
      },
      suspects: {
        what: 'suspects, up to five',
        results: [failed(failure('off'))],
        where: found(7, false),
        parts: ['**Suspects:** `t0`\n\n- `loa=0`\n- `loa=1`\n- `loa=2`\n- `loa=3`\n- `loa=4`\n- and 2 more\n\n8 of 9 values cleared by passing rows\n'],
      },
      likely: { what: 'a likely cause', results: [failed(failure('off'))], where: found(1, true), parts: ['**Likely cause:** `t0`\n\n- `loa=0`\n\n8 of 9'] },
      cause: {
        what: 'where a test fails',
        results: [failed(failure('off'))],
        where: { causes: [{ conditions: [{ kind: 'value', column: 'loa', value: 9 }], failing: 3, cases: 4 }] as never, elsewhere: { failing: 0, cases: 12 } },
        parts: ['**Where it fails:** `t0`\n\n- `loa=9`: 3 of 4 fail\n- elsewhere 0 of 12\n'],
      },
      unexplained: {
        what: 'no place if none is known',
        results: [failed(failure('off'))],
        where: { causes: [], elsewhere: { failing: 1, cases: 1 } },
        parts: ['|\n\n\n<details>'],
      },
    }),
  }, ({ row: { results, info, where, parts }, check }) => {
    const text = report(stateOf(results), info, where && new Map([[0, where]]));
    for (const part of parts) check.includes(text, part);
  }),

  test('counts equal problems of the plan', ({ check }) => {
    const state = stateOf([]);
    for (const column of ['loa', 'due', 'loa']) state.planProblems.push({ code: 'missing-column', column, known: ['crew'] });
    check.equal(report(state).match(/^- .*/gm), [
      '- **!** `` missing column `loa`; known: `crew` `` (2 times)',
      '- **!** `` missing column `due`; known: `crew` ``',
    ]);
  }),

  test('names fifty tests, and as many failures as there is room for', ({ check }) => {
    const letters = (number: number): string => [...String(number)].map((digit) => 'abcdefghij'[Number(digit)]).join('');
    const text = report(stateOf(Array.from({ length: 120 }, (_, i) => failed(failure(letters(i), { actual: `"${letters(i).repeat(400)}"` })))));
    check.equal(text.match(/^\| `a\.ts › t\d+` \|/gm)?.length, 50);
    check.includes(text, '| … and 70 more tests | | | |\n');
    const [, omitted] = /\n… and (\d+) more failing cases, omitted for length\.\n/.exec(text) ?? [];
    check.equal((text.match(/<details>/g)?.length ?? 0) + Number(omitted), 120);
    check.holds(new TextEncoder().encode(text).length < 60_000);
  }),
]);
