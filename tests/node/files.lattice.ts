import { appendFileSync, existsSync, mkdirSync, readdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { dataFile, fixture, formatProblem, range, table, test, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { createRandom } from '../../src/cases/random.ts';
import { createFileCache } from '../../src/node/files.ts';
import { findFiles, findPath, findRoot } from '../../src/node/find-files.ts';
import { LineReader } from '../../src/node/line-reader.ts';
import { createSourceReader } from '../../src/node/sources.ts';
import { runInside } from '../inner.ts';

/** Writes files, with the folders around them. */
function write(folder: string, files: Readonly<Record<string, string>>): void {
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
}

const project = fixture('a folder with projects', {
  scope: 'file',
  needs: { folder: tempDirectory('file') },
  setup(_, { folder }) {
    write(folder, {
      'office/package.json': '{}',
      'office/dues.lattice.ts': 'one\ntwo\n',
      'office/bookings/stays.lattice.mjs': 'one',
      'office/bookings/stays.csv': 'nights\n1\n',
      'office/bookings/helper.ts': '',
      'office/bookings/folder.lattice.ts': '',
      'office/.hidden/a.lattice.ts': '',
      'office/node_modules/p/a.lattice.ts': '',
      'office/empty/notes.txt': '',
      'tides/red-lattice.config.ts': '',
      'tides/tides.lattice.tsx': '',
      'tides/levels.csv': 'level\n1\n',
      'alone/table.csv': 'a\n',
    });
    symlinkSync(join(folder, 'tides'), join(folder, 'office', 'linked'));
    symlinkSync(join(folder, 'office'), join(folder, 'office', 'around'));
    symlinkSync(join(folder, 'nowhere'), join(folder, 'office', 'broken.lattice.ts'));
    return folder;
  },
});
const testProject = testWith({ project });

interface Found {
  readonly where: readonly string[];
  readonly from?: string;
  readonly patterns?: readonly string[];
  readonly files?: readonly string[];
  readonly targets?: readonly string[];
  readonly says?: readonly string[];
}

export const found = testProject('an argument finds {what}', { cases: dataFile('found.yaml') }, async ({ row, check }, { project }) => {
  const { where, from = 'office', patterns, files = [], targets = [], says = [] } = row as unknown as Found;
  const result = await findFiles(where, join(project, from), patterns);
  const short = (path: string): string => relative(project, path);
  check.equal(result.files.map(short), [...files].sort());
  check.equal(
    result.targets.map(({ url, line }) => `${short(fileURLToPath(url))}${line === undefined ? '' : `:${line}`}`),
    [...targets],
  );
  check.equal(
    result.problems.map((problem) => formatProblem(problem)),
    [...says],
  );
});

export const wholePath = testProject('a pattern can be a whole path', async ({ check }, { project }) => {
  const { files } = await findFiles([join(project, 'office', 'bookings', '*.m*')], join(project, 'office'));
  check.equal(files, [join(project, 'office', 'bookings', 'stays.lattice.mjs')]);
});

export const roots = testProject(
  'the root of {folder} is {root}',
  {
    cases: table(
      ['folder', 'root'],
      [
        ['office', 'office'],
        ['office/bookings', 'office'],
        ['tides', 'tides'],
      ],
    ),
  },
  ({ row: { folder, root }, check }, { project }) => {
    check.equal(findRoot(join(project, folder)), join(project, root));
    check.equal(findPath('bookings/stays.csv', join(project, 'office/empty')), join(project, 'office/bookings/stays.csv'));
    check.equal(findPath('absent', join(project, folder)), join(project, folder, 'absent'));
  },
);

export const sources = testWith({ folder: tempDirectory('case') })('a source is read only inside of the repository', ({ check }, { folder }) => {
  write(folder, {
    'repository/.git/head': '',
    'repository/office/dues.ts': 'dues',
    'repository/shared.ts': 'shared',
    'outside.ts': 'outside',
    'repository/large.ts': 'x'.repeat(8_000_001),
    'repository/limit.ts': 'x'.repeat(8_000_000),
  });
  symlinkSync(join(folder, 'outside.ts'), join(folder, 'repository', 'office', 'link.ts'));
  const read = createSourceReader(join(folder, 'repository', 'office'));
  check.equal(['dues.ts', '../shared.ts', join(folder, 'repository/shared.ts')].map(read), ['dues', 'shared', 'shared']);
  check.equal(['link.ts', '../../outside.ts', '../large.ts', '..', 'absent.ts'].map(read), [undefined, undefined, undefined, undefined, undefined]);
  check.equal(read('../limit.ts')?.length, 8_000_000);
  // Each is read once.
  write(folder, { 'repository/office/dues.ts': 'changed', 'repository/office/absent.ts': 'there' });
  check.equal([read('dues.ts'), read('absent.ts')], ['dues', undefined]);
});

export const grows = testWith({ folder: tempDirectory('case') })(
  'the lines of a growing file are read once, when they are complete: seed {seed}',
  {
    cases: range('seed', 1, 25),
  },
  ({ row: { seed }, check }, { folder }) => {
    const random = createRandom(`lines ${seed}`);
    const path = join(folder, 'journal');
    const reader = new LineReader(path);
    check.equal([...reader.read()], [], 'before there is a file');
    let written = '';
    const lines: string[] = [];
    for (let round = 0; round < 12; round++) {
      const text = Array.from({ length: random.integer(0, 4) }, () =>
        random.pick(['\n', 'berth N4\n', '港', '\uFEFFa', `${'x'.repeat(random.pick([10, 1000, 300_000]))}\n`]),
      ).join('');
      appendFileSync(path, text);
      written += text;
      lines.push(...[...reader.read()].flat());
      const complete = written.split('\n');
      const rest = complete.pop();
      check.equal([lines.length, reader.rest === rest], [complete.length, true]);
    }
    reader.close();
    check.holds(lines.join('\n') === written.split('\n').slice(0, -1).join('\n'), 'the lines are those that were written');
  },
);

export const cached = testWith({ folder: tempDirectory() })(
  'a cache of values has one file for each, and costs nothing where it cannot be',
  async ({ check }, { folder }) => {
    const cache = createFileCache(join(folder, 'cache'));
    check.equal(await cache.get('rows-1'), undefined);
    await cache.set('rows-1', [[1, 2]]);
    await cache.set('rows-1', [[3]]);
    check.equal([await cache.get('rows-1'), readdirSync(join(folder, 'cache'))], [[[3]], ['rows-1.json']]);
    const nowhere = createFileCache(join(folder, 'cache', 'rows-1.json'));
    await nowhere.set('rows-2', []);
    check.equal(await nowhere.get('rows-2'), undefined);
  },
);

export const temporary = test('a temporary directory is removed, or kept if its case fails; a case can remove it itself', async ({ check, defer }) => {
  const folders: string[] = [];
  const folder = tempDirectory();
  const { statuses } = await runInside([
    test('leaves', { needs: { folder } }, (_, { folder }) => void folders.push(folder)),
    test('removes', { needs: { folder } }, (_, { folder }) => {
      folders.push(folder);
      rmSync(folder, { recursive: true });
    }),
    test('fails', { needs: { folder } }, ({ check }, { folder }) => {
      folders.push(folder);
      check.fail('here');
    }),
  ]);
  defer(() => rmSync(folders[2] as string, { recursive: true }));
  check.equal(statuses, { leaves: 'passed', removes: 'passed', fails: 'failed/check' });
  check.equal(folders.map(existsSync), [false, false, true]);
});
