import { cp, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Ajv } from 'ajv';
import { Ajv2020 } from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import papa from 'papaparse';
import { fixture, namedRows, suite, table, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { leaves, readTap } from '../formats/tap-reader.ts';
import { root, runCommand } from '../program.ts';
import { hostile, outcomes } from './outcomes-project.ts';

/** The published schema without additional properties, which shows whether it describes everything. */
const schema = fixture('schema', {
  scope: 'file',
  async setup() {
    const read = JSON.parse(await readFile(join(root, 'schema', 'report-2.json'), 'utf8'), (_, value) =>
      value?.properties && !value.properties.code ? { ...value, additionalProperties: false } : value,
    );
    const ajv = new Ajv2020({ allErrors: true, strict: false });
    (addFormats as unknown as (ajv: Ajv2020) => void)(ajv);
    ajv.addSchema(read, 'report');
    const problems = (part: string, value: unknown): unknown => {
      const validate = ajv.getSchema(`report#${part}`);
      if (!validate) throw new Error(`no schema ${part}`);
      return validate(value) ? [] : validate.errors;
    };
    return {
      whole: (value: unknown) => problems('', value),
      head: (value: unknown) => problems('/$defs/head', value),
      result: (value: unknown) => problems('/$defs/result', value),
    };
  },
});

const testReport = testWith({ outcomes, schema });
const lines = (text: string): string[] => text.split('\n').filter(Boolean);

export const reports = suite('reports', { timeout: 60_000 }, [
  testReport('the project has the expected results', ({ check }, { outcomes }) => {
    check.equal([outcomes.good.status, outcomes.bad.status], [1, 1]);
    // The bad row in its data file errors in both.
    check.matches(outcomes.good.output, /\n57 passed, 1 failed, 1 skipped\n$/);
    check.matches(outcomes.bad.output, /\n1 of 13 failed cases errored, 1 shared teardown failed\n45 passed, 13 failed, 1 skipped\n$/);
  }),

  testReport(
    'JSON and JSON Lines match the schema, and have the same content',
    { cases: table(['record'], [['good'], ['bad']]) },
    async ({ row, check }, { outcomes, schema }) => {
      const json = JSON.parse((await runCommand(['report', row.record, '--format', 'json'], outcomes.folder)).out) as {
        run: object;
        results: { id: string }[];
      };
      check.equal(schema.whole(json), []);
      const [head, ...results] = lines((await runCommand(['report', row.record, '--format', 'jsonl'], outcomes.folder)).out).map((line) => JSON.parse(line));
      check.equal(schema.head(head), []);
      for (const result of results) check.equal(schema.result(result), []);
      check.equal(results, json.results);
      check.equal(head.run, json.run);
      check.equal(results.length, row.record === 'good' ? 61 : 62);
    },
  ),

  testReport('a JSON report can be used like its record', async ({ check }, { outcomes }) => {
    const at = (name: string): string => join(outcomes.folder, name);
    for (const [from, to] of [
      ['bad', 'a.jsonl'],
      ['a.jsonl', 'b.json'],
      ['b.json', 'c.jsonl'],
    ] as const) {
      const { status, out, output } = await runCommand(['report', from, '-o', to], outcomes.folder);
      // The message is not part of a report on standard output.
      check.equal([status, out, output.trim()], [0, '', `Wrote ${to}`]);
    }
    check.equal(await readFile(at('c.jsonl'), 'utf8'), await readFile(at('a.jsonl'), 'utf8'));
    for (const as of ['csv', 'tap', 'markdown'])
      check.equal(
        (await runCommand(['report', 'a.jsonl', '--format', as], outcomes.folder)).out,
        (await runCommand(['report', 'bad', '--format', as], outcomes.folder)).out,
        as,
      );
  }),

  testReport(
    'a newer report and other files are rejected',
    {
      cases: table(
        ['text', 'reason'],
        [
          ['{"format":"red-lattice report","version":"3.0","run":{}}\n', /its version is 3\.0; this Red Lattice reads 2\.\d/],
          ['{"some":"thing"}\n', /not a Red Lattice report/],
          ['nights\n1\n', /neither a run record .* nor a JSON or JSON Lines report/],
        ],
      ),
    },
    async ({ row, check }, { outcomes }) => {
      await writeFile(join(outcomes.folder, 'other.jsonl'), row.text);
      const { status, output } = await runCommand(['report', 'other.jsonl'], outcomes.folder);
      check.equal(status, 2);
      check.matches(output, row.reason);
    },
  ),

  testReport('CTRF matches its published schema, and counts failures outside the cases', async ({ check, ensure }, { outcomes }) => {
    const ajv = new Ajv({ allErrors: true, strict: false });
    (addFormats as unknown as (ajv: Ajv) => void)(ajv);
    const validate = ajv.compile(JSON.parse(await readFile(join(root, 'node_modules', 'ctrf', 'dist', 'ctrf-schema-0.0.json'), 'utf8')));
    await runCommand(['report', 'bad', '-o', 'bad.ctrf.json'], outcomes.folder);
    const report = JSON.parse(await readFile(join(outcomes.folder, 'bad.ctrf.json'), 'utf8'));
    check.equal([validate(report), validate.errors], [true, null]);
    const { summary, tests } = report.results as { summary: Record<string, number>; tests: Record<string, unknown>[] };
    const { passed, failed, skipped, pending, other, flaky } = summary;
    check.equal(
      { tests: summary['tests'], passed, failed, skipped, pending, other, flaky },
      { tests: 62, passed: 45, failed: 14, skipped: 1, pending: 1, other: 1, flaky: 0 },
    );
    const { milliseconds } = JSON.parse(await readFile(join(outcomes.folder, 'bad', 'run.json'), 'utf8')) as { milliseconds: number };
    check.equal([summary['duration'], Number(summary['stop']) - Number(summary['start'])], [Math.round(milliseconds), Math.round(milliseconds)]);
    const differs = ensure.present(tests.find(({ name }) => String(name).endsWith('differs')));
    check.hasProperties(differs, { status: 'failed', rawStatus: 'failed/check', filePath: 'outcomes.lattice.ts', line: 12, suite: ['outcomes.lattice.ts'] });
    check.matches(String(differs['message']), /\n {2}actual .*\n {2}expected /);
  }),

  testReport('TAP 14 is strict, and has the result of each case', async ({ check, ensure }, { outcomes }) => {
    const { points, bailOut } = readTap((await runCommand(['report', 'bad', '--format', 'tap'], outcomes.folder)).out);
    const all = leaves(points);
    check.matches(bailOut, /^outcomes\.lattice\.ts:\d+:\d+ teardown of fixture "ledger" for the office failed: Error: the ledger is stuck$/);
    check.equal([all.length, all.filter(({ ok, directive }) => !ok && !directive).length], [61, 13]);
    check.equal(
      all.filter(({ ok, diagnostics }) => ok && diagnostics !== undefined),
      [],
    );
    const differs = ensure.present(all.find(({ description }) => description === 'differs')).diagnostics as {
      cause: string;
      failures: { step: string[]; at: string }[];
    };
    check.equal([differs.cause, differs.failures[0]?.step], ['check', ['outer', 'inner']]);
    check.matches(differs.failures[0]?.at, /^outcomes\.lattice\.ts:12:\d+$/);
    check.equal(
      all.filter(({ directive }) => directive).map(({ directive, reason, ok }) => [directive, reason, ok]),
      [
        ['SKIP', 'no tide table yet', true],
        ['TODO', 'the meter runs fast', false],
        ['SKIP', 'takes a day', true],
      ],
    );
    // Control characters are shown, and everything else is unchanged.
    check.holds(all.some(({ description }) => description.includes('</script><img src=x onerror=alert(1)> # `a` | \\ @all ␛[31m =1+1')));
  }),

  testReport('CSV has one line per case with its values, safe in a spreadsheet', async ({ check, ensure }, { outcomes }) => {
    const { data } = papa.parse<Record<string, string>>((await runCommand(['report', 'bad', '--format', 'csv'], outcomes.folder)).out, {
      header: true,
      skipEmptyLines: true,
    });
    check.equal(data.length, 62);
    const beside = data.filter((one) => one['(status)'] === 'problem');
    check.equal(
      beside.map((one) => [one['(id)'], one['(cause)'], one['(file)'], one['(message)']]),
      [['', 'teardown-failed', 'outcomes.lattice.ts', 'teardown of fixture "ledger" for the office failed: Error: the ledger is stuck']],
    );
    const cat = data.filter((one) => one['hull'] === 'cat' && one['season'] === 'winter');
    check.equal(
      cat.map((one) => one['(status)']),
      Array(8).fill('failed'),
    );
    check.equal(
      data.filter((one) => one['guest']).map((one) => [one['(status)'], one['nights'], one['guest']]),
      [
        ['passed', '1', 'a'],
        ['errored', 'two', 'b'],
        ['passed', '3', "'=1+1"],
      ],
    );
    check.equal(ensure.present(data.find((one) => one['(title)']?.endsWith('throws')))['(message)'], 'AggregateError: several');
    check.equal(
      data.flatMap((one) => Object.values(one)).filter((cell) => /^[=+@]/.test(cell)),
      [],
    );
  }),

  testReport('Markdown is a summary without markup from tests', async ({ check }, { outcomes }) => {
    const text = (await runCommand(['report', 'bad', '--format', 'markdown'], outcomes.folder)).out;
    check.includes(text, '- `hull=cat & season=winter`: 8 of 8 fail\n- elsewhere 0 of 40');
    check.includes(text, '- 1 `skipped: no tide table yet`');
    check.matches(text, /^\| `outcomes\.lattice\.ts › .*`.* \| 8 \| 48 \| [\d.]+ ms \|$/m);
    // Outside code, the only tags are ours, and names cannot notify anyone.
    const prose = text.replace(/^(`{3,}).*?^\1$/gms, '').replace(/(`+)(?!`).*?(?<!`)\1(?!`)/gs, '');
    check.equal(
      [...prose.matchAll(/<[^>]*>/g)].map(([tag]) => tag).filter((tag) => !/^<\/?(?:details|summary)>$/.test(tag)),
      [],
    );
    check.equal(prose.includes('@all'), false);
  }),

  testReport('Markdown stays under 60 kB, whatever the run', async ({ check }, { outcomes }) => {
    const [head, ...results] = lines(
      await readFile(join(outcomes.folder, 'a.jsonl'), 'utf8').catch(
        async () => (await runCommand(['report', 'bad', '--format', 'jsonl'], outcomes.folder)).out,
      ),
    );
    const failing = results.map((line) => JSON.parse(line)).find(({ status }) => status === 'failed');
    const many = Array.from({ length: 3000 }, (_, i) =>
      JSON.stringify({
        ...failing,
        id: `${failing.id}~${i}`,
        ordinal: i,
        failures: [{ cause: 'throw', message: `Ünlike ${String.fromCharCode(97 + (i % 26)).repeat(1 + (i % 900))}` }],
      }),
    );
    await writeFile(join(outcomes.folder, 'many.jsonl'), [head, ...many, ''].join('\n'));
    const { out } = await runCommand(['report', 'many.jsonl', '--format', 'markdown'], outcomes.folder);
    const size = new TextEncoder().encode(out).length;
    check.holds(size < 60_000 && size > 30_000, `${size} bytes`);
    check.matches(out, /… and [\d,]+ more failing cases, omitted for length/);
  }),

  testReport('run --format gives the same on standard output, and the last line on standard error', async ({ check }, { outcomes }) => {
    const { out, output, status } = await runCommand(['run', '--format', 'tap', '--title', 'holds'], outcomes.folder);
    check.equal(status, 0);
    check.equal(
      leaves(readTap(out).points).map(({ ok, description }) => [ok, description]),
      [[true, 'holds']],
    );
    check.matches(output.slice(out.length), /^1 passed, 0 failed$/m);
  }),

  testReport('the command quotes an id with special characters', ({ check }, { outcomes }) => {
    check.matches(outcomes.bad.output, /rerun: npx red-lattice run --id (?:[\w./,=+:@%-]+|'[^']*')$/m);
    check.includes(outcomes.bad.output, hostile.split(' ')[0] as string);
  }),
]);

/** A record of the harbour office with its draft of a tariff. */
const office = fixture('office', {
  scope: 'file',
  needs: { folder: tempDirectory('file') },
  async setup(_, { folder }) {
    const record = join(folder, 'draft');
    const project = join(root, 'examples', 'harbour-office');
    const { output } = await runCommand(['run', '--tag', 'draft', '--record', record], project);
    return { record, project, output };
  },
});

export const ofTheOffice = suite('the harbour office with its draft', { timeout: 60_000 }, [
  testWith({ office, schema })('shows where it fails in every format', async ({ check }, { office: { record, project, output }, schema }) => {
    check.matches(output, /✗ loa=12 +22 of 22 fail\n {2}✗ hull=cat & season=winter +13 of 13 fail\n {4}elsewhere +0 of 92\n/);
    check.matches(output, /\n100 passed, 34 failed\n$/);
    const as = async (format: string): Promise<string> => (await runCommand(['report', record, '--format', format], project)).out;
    check.equal(schema.whole(JSON.parse(await as('json'))), []);
    check.equal(leaves(readTap(await as('tap')).points).filter(({ ok }) => !ok).length, 34);
    check.includes(await as('markdown'), '- `hull=cat & season=winter`: 13 of 13 fail\n- elsewhere 0 of 92');
    check.equal(lines(await as('csv')).length, 135);
  }),
]);

export const comparisons = suite('compare', { timeout: 60_000 }, [
  testReport('compares each case, and exits with 1 if one is newly failing', async ({ check }, { outcomes }) => {
    const worse = await runCommand(['compare', 'good', 'bad', '--format', 'json'], outcomes.folder);
    const { cases, same } = JSON.parse(worse.out) as { cases: { change: string; title: string }[]; same: number };
    const count = (change: string): number => cases.filter((one) => one.change === change).length;
    check.equal([worse.status, count('newly failing'), count('still failing'), count('fixed')], [1, 13, 1, 0]);
    check.equal(same + cases.length, 62);
    const better = await runCommand(['compare', 'bad', 'good'], outcomes.folder);
    check.equal(better.status, 0);
    check.matches(better.output, /^fixed: 13$/m);
    check.matches(better.output, /13 fixed, 1 still failing, (?:\d+ (?:slower|faster), )*4\d the same/);
    const twice = await runCommand(['compare', 'bad', 'bad'], outcomes.folder);
    check.matches(twice.output, /\n14 still failing, 48 the same\n$/);
  }),

  testReport(
    'exits with 1 if the later run {says}',
    {
      cases: namedRows<{ says: string; end: object }>({
        unfinished: { says: 'did not finish', end: { milliseconds: undefined } },
        interrupted: { says: 'was interrupted', end: { exitStatus: 130 } },
        'not planned': { says: 'could not load or plan everything', end: { exitStatus: 2 } },
        empty: { says: 'selected nothing', end: { exitStatus: 3 } },
        stopped: { says: 'did not run everything', end: { notRun: { cases: 3, isMore: false, reason: 'the run stopped' } } },
      }),
    },
    async ({ row, check }, { outcomes }) => {
      const at = (name: string): string => join(outcomes.folder, name);
      const later = `later ${row.says}`;
      await cp(at('good'), at(later), { recursive: true });
      const info = JSON.parse(await readFile(at('good/run.json'), 'utf8')) as object;
      await writeFile(at(`${later}/run.json`), JSON.stringify({ ...info, ...row.end }));
      for (const [format, sign] of [[], ['--format', 'markdown']].map((args) => [args, args.length > 0 ? '## ✗' : ''] as const)) {
        const { status, out } = await runCommand(['compare', 'good', later, ...format], outcomes.folder);
        check.equal(status, 1);
        check.includes(out, `the later run ${row.says}`);
        check.includes(out, sign);
      }
      check.equal((await runCommand(['compare', 'good', 'good'], outcomes.folder)).status, 0);
    },
  ),
]);
