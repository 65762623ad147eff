import { suite, table, test, testWith } from 'red-lattice';
import { findAnnotationSyntax, formatAnnotations } from '../../src/formats/annotations.ts';
import type { RecordedResult } from '../../src/results/recorded-result.ts';
import { createRunState, type TornDown } from '../../src/results/run-state.ts';
import { runCommand } from '../program.ts';
import { projectOf } from '../project.ts';

const head = "import { suite, test, table } from 'red-lattice';\n";
const project = projectOf({
  'package.json': '{"type":"module"}',
  'a.lattice.js': `${head}export const dues = test('{n}: 100%, ]', { cases: table(['n'], [[1], [2]]) }, ({ check }) => check.equal('a\\n::error::b', 'c'));
export const fine = test('fine', ({ check }) => check.holds(true));\n`,
  'b.lattice.js': 'export const broken = (;\n',
});

export const annotations = suite('annotations', { timeout: 30_000 }, [
  test(
    'are written if {variable} is {value}: {syntax}',
    {
      cases: table(
        ['variable', 'value', 'syntax'],
        [
          ['GITHUB_ACTIONS', 'true', 'github'],
          ['GITHUB_ACTIONS', 'false', undefined],
          ['TF_BUILD', 'True', 'azure'],
          ['CI', 'true', undefined],
        ],
      ),
    },
    ({ row, check }) => check.equal(findAnnotationSyntax({ [row.variable]: row.value }), row.syntax),
  ),

  testWith({ project })('have one entry per line, and escape texts of tests', async ({ check }, { project }) => {
    const github = (await runCommand(['run', '--show', 'summary'], project, { GITHUB_ACTIONS: 'true', GITHUB_WORKSPACE: `${project}/..` })).out;
    const folder = project.split('/').at(-1);
    check.equal(
      github
        .split('\n')
        .filter((line) => line.startsWith('::'))
        .map((line) => line.replaceAll(`${folder}/`, '')),
      [
        "::error file=b.lattice.js,line=1,col=24,title=load-failed::cannot load b.lattice.js: SyntaxError: Unexpected token ';'",
        '::error file=a.lattice.js,line=2,col=100,title=1%3A 100%25%2C ]::not equal%0Aactual "a\\n::error::b"%0Aexpected "c"%0A(and 1 more case at this line)',
      ],
    );
    const azure = await runCommand(['run', '--format', 'json'], project, { TF_BUILD: 'True', BUILD_SOURCESDIRECTORY: project });
    check.includes(azure.output, '##vso[task.logissue type=error;sourcepath=a.lattice.js;linenumber=2;columnnumber=100;]1: 100%AZP25, ]: not equal%0Aactual');
    check.equal(azure.out.includes('##vso'), false);
    // A file that does not load is a failed test of a CTRF report.
    const { summary, tests } = JSON.parse((await runCommand(['run', '--format', 'ctrf'], project)).out).results;
    check.equal([summary.passed, summary.failed], [1, 3]);
    check.hasProperties(tests.at(-1), { rawStatus: 'problem', status: 'failed', filePath: 'b.lattice.js', line: 1 });
  }),

  test('are at most fifty, and quick for many cases at one line', ({ check }) => {
    const failure = (line: number): RecordedResult =>
      ({ title: 't', failures: [{ message: 'm', location: { file: 'a.ts', line, column: 1 } }] }) as unknown as RecordedResult;
    const state = {
      ...createRunState(),
      failures: [...Array.from({ length: 50_000 }, () => failure(1)), ...Array.from({ length: 80 }, (_, i) => failure(i + 2))],
    };
    const lines = formatAnnotations(state, 'github', (file) => file);
    check.equal([lines.length, lines[0]], [50, '::error file=a.ts,line=1,col=1,title=t::m%0A(and 49,999 more cases at this line)']);
  }),

  test('have the location of a source, but not of a workbook: {syntax}', {
    cases: table(
      ['syntax', 'source', 'none'],
      [
        ['github', '::error file=a.ts,line=2,col=3,title=t::m', '::error title=t::m'],
        ['azure', '##vso[task.logissue type=error;sourcepath=a.ts;linenumber=2;columnnumber=3;]t: m', '##vso[task.logissue type=error;]t: m'],
      ],
    ),
  }, ({ row, check }) => {
    const findSource = (location: object | undefined): string[] => {
      const failures = [{ title: 't', failures: [{ message: 'm', location }] }] as unknown as RecordedResult[];
      return formatAnnotations({ ...createRunState(), failures }, row.syntax as 'github', (file) => file);
    };
    check.equal(findSource({ file: 'a.ts', line: 2, column: 3 }), [row.source]);
    check.equal(findSource({ file: 'a.xlsx', line: 2, column: 3, sheet: 'Dues' }), [row.none]);
    check.equal(findSource(undefined), [row.none]);
    const tornDown = [{ title: 't', result: { failures: [{ message: 'm' }] } }] as unknown as TornDown[];
    check.equal(
      formatAnnotations({ ...createRunState(), tornDown }, row.syntax as 'github', (file) => file),
      [row.none],
    );
  }),

  testWith({ project })('are absent elsewhere', async ({ check }, { project }) =>
    check.equal((await runCommand(['run'], project)).output.includes('::error f'), false),
  ),
]);
