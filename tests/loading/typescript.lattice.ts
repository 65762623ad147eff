import { symlinkSync } from 'node:fs';
import { mkdir, readdir, rm, utimes, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fixture, suite, table, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { root, runCommand } from '../program.ts';
import { makeProject } from '../project.ts';

const head = "import { suite, test } from 'red-lattice';\n";
const tsconfig = (compilerOptions: object, more: object = {}): string => JSON.stringify({ compilerOptions, ...more });
const checks = (title: string, body: string): string => `${head}export const one = test('${title}', ({ check }) => { ${body} });\n`;

/** Each folder has its own settings; each test passes only if they are honoured. */
const files: Readonly<Record<string, string>> = {
  'decorators/tsconfig.json': tsconfig({ experimentalDecorators: true }),
  'decorators/a.lattice.ts': `${head}function mark(target: object, name: string) { (target as any).marked = name; }
class Berth { @mark number = 4; }
export const one = test('legacy decorators', ({ check }) => check.equal((Berth.prototype as any).marked, 'number'));\n`,
  'metadata/tsconfig.json': tsconfig({ experimentalDecorators: true, emitDecoratorMetadata: true }),
  'metadata/a.lattice.ts': `${head}const seen: unknown[] = [];
(Reflect as any).metadata = (key: string, value: unknown) => () => { seen.push([key, value]); };
const known = (_: object, name: string) => {};
class Berth { @known size: number = 4; }
export const one = test('types of decorated properties', ({ check }) => check.equal(seen, [['design:type', Number]]));\n`,
  'fields/tsconfig.json': tsconfig({ useDefineForClassFields: false }),
  'fields/a.lattice.ts': `${head}class Boat { set loa(value: number) { seen = value; } }
let seen = 0;
class Gull extends Boat { loa = 12; }
new Gull();
export const one = test('fields are assigned', ({ check }) => check.equal(seen, 12));\n`,
  'target/tsconfig.json': tsconfig({ target: 'es2015' }),
  'target/a.lattice.ts': `${head}class Boat { set loa(value: number) { seen = value; } }
let seen = 0;
class Gull extends Boat { loa = 12; }
new Gull();
export const one = test('fields are assigned for an early target', ({ check }) => check.equal(seen, 12));\n`,
  'jsx/tsconfig.json': tsconfig({ jsx: 'react', jsxFactory: 'h', jsxFragmentFactory: 'parts' }),
  'jsx/a.lattice.ts': checks('classic JSX', "check.equal(view, ['quay', { n: 4 }, ['parts', null]]);").replace(
    head,
    `${head}import { view } from './view.tsx';\n`,
  ),
  'jsx/view.tsx': "const parts = 'parts';\nconst h = (...all: unknown[]) => all;\nexport const view = <quay n={4}><></></quay>;\n",
  'preserved/tsconfig.json': tsconfig({ jsx: 'preserve', jsxImportSource: '#own', paths: { '#own/*': ['../source/*'] } }),
  'preserved/a.lattice.ts': checks('JSX that is preserved', "check.equal(view, ['quay', { n: 5 }]);").replace(
    head,
    `${head}import { view } from './view.tsx';\n`,
  ),
  'preserved/view.tsx': 'export const view = <quay n={5} />;\n',
  'source/jsx-runtime.ts': "export * from './runtime.ts';\n",
  'source/tsconfig.json': tsconfig({ jsx: 'react-jsx', jsxImportSource: '#own', paths: { '#own/jsx-runtime': ['./runtime.ts'] } }),
  'source/runtime.ts': 'export const jsx = (type: string, props: object) => [type, props];\n',
  'source/a.lattice.ts': checks('a source of JSX', "check.equal(view, ['quay', { n: 4 }]);").replace(head, `${head}import { view } from './view.tsx';\n`),
  'source/view.tsx': 'export const view = <quay n={4} />;\n',
  'base.json': tsconfig({ baseUrl: '.', paths: { '@office/*': ['./paths/office/*'], tides: ['./paths/none', './paths/tides'] } }),
  'paths/tsconfig.json': tsconfig({}, { extends: '../base.json' }),
  'paths/office/dues.ts': 'export const due = 20;\n',
  'paths/tides/index.ts': 'export const tide = 3;\n',
  'paths/a.lattice.ts': `${head}import { due } from '@office/dues';\nimport { tide } from 'tides';\nimport { berth } from 'paths/berth';
export const one = test('paths, baseUrl and extends', async ({ check }) => {
  check.equal([due, tide, berth, (await import('@office/dues')).due, import.meta.resolve('@office/dues').endsWith('/paths/office/dues.ts')], [20, 3, 'N4', 20, true]);
});\n`,
  'paths/berth.ts': "export const berth = 'N4';\n",
  'references/tsconfig.json': JSON.stringify({ files: [], references: [{ path: './tsconfig.other.json' }, { path: './tsconfig.app.json' }] }),
  'references/tsconfig.other.json': tsconfig({ paths: { quay: ['./wrong.ts'] } }, { include: ['other'] }),
  'references/tsconfig.app.json': tsconfig({ paths: { quay: ['./quay.ts'] } }, { include: ['*.ts'] }),
  'references/quay.ts': "export const quay = 'north';\n",
  'references/a.lattice.ts': checks('the settings of a reference', "check.equal(quay, 'north');").replace(head, `${head}import { quay } from 'quay';\n`),
  'verbatim/tsconfig.json': tsconfig({ verbatimModuleSyntax: true }),
  'verbatim/effect.ts': '(globalThis as any).effects = ((globalThis as any).effects ?? 0) + 1;\nexport type Berth = string;\nexport const berth = 1;\n',
  'verbatim/a.lattice.ts': checks('imports are kept', 'check.equal((globalThis as any).effects, 1);').replace(
    head,
    `${head}import { berth } from './effect.ts';\n`,
  ),
  'data.json': '{"nights":3}\n',
  'json.lattice.ts': `${head}import data from './data.json' with { type: 'json' };\nimport { nights } from './plain.ts';
export const one = test('JSON', async ({ check }) => check.equal([data.nights, nights, (await import('./data.json', { with: { type: 'json' } })).default.nights], [3, 3, 3]));\n`,
  'plain.ts': "import data from './data.json';\nexport const nights = data.nights;\n",
  'common/package.json': '{}',
  'common/a.lattice.ts': `${head}import fs = require('node:fs');\nimport path = require('node:path');
const { due } = require('./dues.cjs');
export const one = test('CommonJS in TypeScript', ({ check }) => check.equal([fs.existsSync(__filename), path.basename(__dirname), due], [true, 'common', 20]));\n`,
  'common/dues.cjs': 'exports.due = 20;\n',
  'common/b.lattice.js':
    "const { test } = require('red-lattice');\nconst { due } = require('./dues.cjs');\nexports.one = test('CommonJS in JavaScript', ({ check }) => check.equal([due, __dirname.endsWith('common')], [20, true]));\n",
};

const project = fixture('project', {
  scope: 'file',
  needs: { folder: tempDirectory('file') },
  async setup(_, { folder }) {
    await makeProject(folder, files);
    symlinkSync(join(root, 'node_modules', 'typescript-5.9'), join(folder, 'node_modules', 'typescript'));
    return folder;
  },
});

/** With 0 lanes, newer runtimes load modules by hooks. */
const lanes = table(['lanes'], [[0], [2]]);

/** Test files that cannot be loaded, for different reasons. */
const faulty: Readonly<Record<string, string>> = {
  'export.lattice.ts': `${head}import { berth } from './office.ts';\nexport const one = test('one', () => berth);\n`,
  'module.lattice.ts': `${head}import { quay } from './quay.ts';\nexport const one = test('one', () => quay);\n`,
  'quay.ts': "import './office.ts';\nimport './nowhere.ts';\n",
  'package.lattice.ts': `${head}import 'no-such-package';\nexport const one = test('one', () => undefined);\n`,
  'script.lattice.ts': `${head}import './script.js';\nexport const one = test('one', () => undefined);\n`,
  'script.js': 'export const due = 20;\nexport const late = = 30;\n',
  'source.lattice.ts': `${head}import './source.ts';\nexport const one = test('one', () => undefined);\n`,
  'source.ts': 'export const due: number = 20;\nexport const late: number = = 30;\n',
  'throws.lattice.ts': `${head}import './throws.ts';\nexport const one = test('one', () => undefined);\n`,
  'throws.ts': "interface Stay {\n  nights: number;\n}\nthrow new Error('no tide tables');\n",
  'office.ts': 'export const office = 1;\n',
};
const places = ['export.lattice.ts:2:10', 'quay.ts:2:8', 'package.lattice.ts:2:8', 'script.js:2:21', 'source.ts:2:29', 'throws.ts:4:7'];

const faultyProject = fixture('faulty project', {
  needs: { folder: tempDirectory() },
  async setup(_, { folder }) {
    await makeProject(folder, faulty);
    return folder;
  },
});

export const settings = suite('settings of TypeScript', { timeout: 60_000 }, [
  testWith({ project })('that change what a source means are honoured: {lanes} lanes', { cases: lanes }, async ({ row, check }, { project }) => {
    const { out, output } = await runCommand(['run', '--lanes', String(row.lanes), '--show', 'summary'], project);
    check.matches(out, /^13 passed, 0 failed$/m, output);
  }),

  testWith({ project })('compile a source again when they change', async ({ check }, { project }) => {
    await writeFile(join(project, 'target', 'tsconfig.json'), tsconfig({ target: 'es2022' }));
    const { out } = await runCommand(['run', 'target', '--show', 'summary'], project);
    check.matches(out, /^0 passed, 1 failed$/m);
  }),

  testWith({ project })('are evicted, oldest first, when the cache has more than 4,000 files', async ({ check }, { project }) => {
    const cache = join(project, '.red-lattice', 'cache');
    await mkdir(cache, { recursive: true });
    const names = Array.from({ length: 4001 }, (_, i) => join(cache, `old-${i}.mjs`));
    await Promise.all(names.map((name) => writeFile(name, '')));
    await Promise.all(names.map((name) => utimes(name, 1, 1)));
    await mkdir(join(project, 'room'));
    await writeFile(
      join(project, 'room', 'a.lattice.ts'),
      "import { test } from 'red-lattice';\nexport const one = test('one', ({ check }) => check.holds(true as boolean));\n",
    );
    const { out } = await runCommand(['run', 'room', '--show', 'summary'], project);
    await rm(join(project, 'room'), { recursive: true });
    check.matches(out, /^1 passed, 0 failed$/m);
    const left = await readdir(cache);
    check.holds(left.length > 1900 && left.length < 2100, `${left.length} files`);
    check.holds(
      left.some((name) => !name.startsWith('old-')),
      'new files are kept',
    );
  }),

  testWith({ project })('that cannot be honoured are an error at the source, and so is an invalid file', async ({ check }, { project }) => {
    await rm(join(project, 'node_modules', 'typescript'));
    await writeFile(join(project, 'metadata', 'a.lattice.ts'), `// changed\n${files['metadata/a.lattice.ts']}`);
    await writeFile(join(project, 'fields', 'tsconfig.json'), '{\n  "compilerOptions": {,}\n}');
    const { out } = await runCommand(['run', 'metadata', 'fields', '--show', 'summary'], project);
    check.matches(
      out,
      /! metadata\/a\.lattice\.ts:6:1 {2}cannot load .*sets `emitDecoratorMetadata`, which needs `transpileModule` of the package typescript\. Install typescript 5/,
    );
    check.matches(out, /cannot load fields\/a\.lattice\.ts: SyntaxError: invalid .*fields\/tsconfig\.json: line 2: /);
  }),
]);

export const failures = suite('files that do not load', { timeout: 60_000 }, [
  testWith({ faultyProject })('are reported at the location of the error: {lanes} lanes', { cases: lanes }, async ({ row, check }, { faultyProject }) => {
    const { status, out } = await runCommand(['run', '--lanes', String(row.lanes), '--show', 'summary'], faultyProject);
    check.equal(status, 2, out);
    check.equal([...out.matchAll(/^! (\S+) {2}cannot load/gm)].map(([, place]) => place).sort(), [...places].sort(), out);
  }),
]);

/** Files that are not modules, and a test of how each is imported. */
const assets: Readonly<Record<string, string>> = {
  'red-lattice.config.ts': `import { defineConfig } from 'red-lattice';
export default defineConfig({
  loaders: {
    '.css': 'empty', '.svg': 'url', '.txt': 'text',
    '.tides': async (text, path) => ({ code: 'export const hours = [' + text.trim() + '];\\nexport const from = ' + JSON.stringify(path) + ';\\nexport const late = () => { throw new Error("late"); };', map: { version: 3, sources: ['high.tides'], names: [], mappings: 'AAAA;AACA;AAMA' } }),
    '.flag': (text) => 'export default ' + JSON.stringify(text.trim()) + ';',
  },
});\n`,
  'quay.css': '.quay {}\n',
  'logo.svg': '<svg/>\n',
  'notice.txt': 'No mooring\n',
  'high.tides': '6, 18\n',
  'blue.flag': 'P\n',
  'view.ts': "import styles from './quay.css';\nimport logo from './logo.svg?inline';\nexport { styles, logo };\n",
  'a.lattice.ts': `${head}import { fileURLToPath } from 'node:url';\nimport { logo, styles } from './view.ts';\nimport notice from './notice.txt';\nimport { from, hours, late } from './high.tides';
import flag from './blue.flag';
export const one = test('assets', ({ check }) => {
  check.equal([styles, notice, hours, flag], [{}, 'No mooring\\n', [6, 18], 'P']);
  check.matches(logo, /^file:.*logo\\.svg/);
  check.equal(fileURLToPath(logo).endsWith('logo.svg'), true);
  check.matches(from, /high\\.tides$/);
  check.matches(check.throws(late)?.stack, /high\\.tides:8:/);
});\n`,
};

const assetProject = fixture('asset project', {
  needs: { folder: tempDirectory() },
  async setup(_, { folder }) {
    await makeProject(folder, assets);
    return folder;
  },
});

export const loading = suite('files that are not modules', { timeout: 60_000 }, [
  testWith({ assetProject })('are imported as the configuration says: {lanes} lanes', { cases: lanes }, async ({ row, check }, { assetProject }) => {
    const { out, output } = await runCommand(['run', '--lanes', String(row.lanes)], assetProject);
    check.matches(out, /^1 passed, 0 failed$/m, output);
  }),

  testWith({ assetProject })(
    'are an error without a loader, at the import, with the setting to add: {lanes} lanes',
    { cases: lanes },
    async ({ row, check }, { assetProject }) => {
      await writeFile(join(assetProject, 'red-lattice.config.ts'), "export default { loaders: { '.css': 'empty', '.svg': 'url' } };\n");
      await writeFile(
        join(assetProject, 'a.lattice.ts'),
        `${head}import './view.ts';\nimport notice from './notice.txt';\nexport const one = test('one', () => notice);\n`,
      );
      const { out } = await runCommand(['run', '--lanes', String(row.lanes)], assetProject);
      check.matches(
        out,
        /! a\.lattice\.ts:3:20 {2}cannot load a\.lattice\.ts: TypeError: cannot import a \.txt file\. Set `loaders: \{ '\.txt': 'text' \}` in red-lattice\.config\.ts/,
      );
    },
  ),

  testWith({ assetProject })('have loaders that are validated', async ({ check }, { assetProject }) => {
    await writeFile(join(assetProject, 'red-lattice.config.ts'), "export default { loaders: { css: 'empty' } };\n");
    const { status, output } = await runCommand(['run'], assetProject);
    check.equal(status, 2);
    check.matches(output, /the configuration: `loaders` is \{"css":"empty"\}; expected an object from extensions, like '\.svg'/);
    await writeFile(
      join(assetProject, 'red-lattice.config.ts'),
      "export default { loaders: { '.css': 'empty', '.svg': 'url', '.txt': 'text', '.flag': 'text', '.tides': () => 5 } };\n",
    );
    check.matches((await runCommand(['run'], assetProject)).out, /the loader for \.tides files returned no code for .*high\.tides/);
  }),
]);
