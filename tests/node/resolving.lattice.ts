import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { cell, dataFile, fixture, table, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { findRowLines } from '../../src/node/lane/row-lines.ts';
import { findPlaceOfImport, noteImport, notePlace, noteSyntaxError } from '../../src/node/loading/import-place.ts';
import { isCommonJs, isTypeScript, resolveModule } from '../../src/node/loading/resolve.ts';

const files = {
  'package.json': '{"type":"module"}',
  'dues.ts': '',
  'tides.tsx': '',
  'berths.js': '',
  'berths.ts': '',
  'cranes.mts': '',
  'pilots.jsx': '',
  'quays/index.ts': '',
  'levels/index.js': '',
  'notes.json': '{}',
  'node_modules/p/index.js': '',
  'node_modules/p/source.ts': '',
  'mapped/gate.ts': '',
  'old/package.json': '{}',
  'old/plain.js': 'module.exports = 1;',
  'old/imports.js': '  import "x";\n',
  'old/exports.js': 'export const a = 1;',
  'old/mentions.js': 'const important = "import";',
  'old/deep/typed/package.json': '{"type":"commonjs"}',
  'old/deep/typed/a.js': '',
  'old/deep/b.js': '',
  'new.js': 'module.exports = 1;',
};

const folderOf = fixture('sources', {
  scope: 'file',
  needs: { folder: tempDirectory('file') },
  setup(_, { folder }) {
    for (const [name, text] of Object.entries(files)) {
      mkdirSync(dirname(join(folder, name)), { recursive: true });
      writeFileSync(join(folder, name), text);
    }
    return folder;
  },
});
const testSources = testWith({ folder: folderOf });

export const resolved = testSources(
  '{specifier} is {what}',
  {
    cases: dataFile('resolved.csv', { columns: { specifier: cell.text, what: cell.text, url: cell.text.optional(), from: cell.text.optional() } }),
  },
  ({ row: { specifier, what, url, from }, check }, { folder }) => {
    const at = (name: string): string => pathToFileURL(join(folder, name)).href;
    const mapSpecifier = (given: string): string[] =>
      given === '@absent' ? [join(folder, 'nothing.ts')] : /^(?:@gate|red-lattice)/.test(given) ? [join(folder, 'mapped/gate')] : [];
    const settings = { file: '', compilerOptions: {}, hash: '', allowsJavaScript: true, mapSpecifier };
    const inPackage = (given: string): string => at(given === 'p/source' ? 'node_modules/p/source.ts' : 'node_modules/p/index.js');
    const resolve = () => resolveModule(specifier, at('parent.ts'), settings, inPackage);
    if (what === 'absent')
      check.throws(
        resolve,
        (error): error is Error => (error as { code?: string }).code === 'ERR_MODULE_NOT_FOUND' && String(error).includes(`cannot find module "${specifier}"`),
      );
    else {
      const found = resolve();
      const expected = url?.startsWith('node:') ? url : at(url ?? '').replace('%3F', '?');
      check.equal([found.url, found.from as string | undefined], [expected, from]);
      check.equal(isTypeScript(found.url.startsWith('node:') ? at('a.js') : found.url), /\.(?:m?ts|[jt]sx)(?:\?|$)/.test(url ?? ''));
    }
  },
);

export const commonJs = testSources('whether a file is CommonJS depends on its name, its content and its package', ({ check }, { folder }) => {
  const files = ['plain', 'mentions', 'imports', 'exports', 'deep/typed/a', 'deep/b', 'absent'].map((name) => `old/${name}.js`);
  const isCommon = (file: string): boolean => isCommonJs(pathToFileURL(join(folder, file)).href);
  check.equal(
    [...files, 'new.js', 'dues.ts'].filter(isCommon),
    ['plain', 'mentions', 'deep/typed/a', 'deep/b', 'absent'].map((name) => `old/${name}.js`),
  );
  check.equal(isCommonJs('node:fs'), false);
});

export const places = testSources(
  'the place of a failed import is that of {what}',
  {
    cases: dataFile('import-places.yaml', {
      columns: { what: cell.text, source: cell.text, specifier: cell.text, place: cell.text.optional(), name: cell.text.optional() },
    }),
  },
  async ({ row: { source, specifier, name, place }, check }, { folder }) => {
    const path = join(folder, 'importing.ts');
    writeFileSync(path, source);
    const url = pathToFileURL(path).href;
    const error =
      name === undefined ? new Error('cannot find') : new SyntaxError(`The requested module '${specifier}' does not provide an export named '${name}'`);
    if (name === undefined) noteImport(error, url, specifier);
    else error.stack = `${url}:1\nSyntaxError`;
    const found = findPlaceOfImport(error, name === undefined ? url : 'file:///elsewhere.ts');
    check.equal(found && `${found.line}:${found.column}`, place);
    check.equal([found?.file, findPlaceOfImport('a text', url), findPlaceOfImport(null, url)], [place && url, undefined, undefined]);
  },
);

export const syntax = testSources('a syntax error has its place, unless a better one is known', async ({ check }) => {
  const url = 'file:///a.js';
  const [error, known, other] = [new SyntaxError('x'), new SyntaxError('x'), new TypeError('x')];
  notePlace(known, { file: 'b', line: 7, column: 1 });
  for (const one of [error, known, other]) await noteSyntaxError(one, url, 'const a = 1;\nconst b = ;\n');
  check.equal(
    [error, known, other].map((one) => findPlaceOfImport(one, url)),
    [{ file: url, line: 2, column: 11 }, { file: 'b', line: 7, column: 1 }, undefined],
  );
  const fine = new SyntaxError('x');
  await noteSyntaxError(fine, url, 'export const a = 1;');
  check.equal(findPlaceOfImport(fine, url), undefined);
  // What is known stays.
  noteImport(known, url, './a.ts');
  check.equal(findPlaceOfImport(known, url)?.line, 7);
});

const rowSource = `import { namedRows as named, rows, table, values, test } from 'red-lattice';
import * as lattice from 'red-lattice';
import { table as otherTable } from './other.ts';
table(['a'], [
  [1],
  [
    2,
  ],
]);
values('a', [1, 2]);
named({
  x: { a: 1 },
  y: { a: 2 } });
lattice.rows([{ a: 1 }] as const);
otherTable(['a'], [[1]]);
table(['a'], [...[[1]]]);
values('a', given);
test('t', { cases: rows([{ a: <any>1 }]) });
table(['a']);
`;

export const rowLines = testSources(
  'the rows of {call} are on lines {lines}',
  {
    cases: table(
      ['call', 'at', 'lines'],
      [
        ['a table', '4:1', ['5+1', '6+3']],
        ['values', '10:1', ['10+1', '10+1']],
        ['named rows under another name', '11:1', ['12+1', '13+1']],
        ['rows of a namespace', '14:9', ['14+1']],
        ['another function', '15:1', undefined],
        ['a list with others', '16:1', undefined],
        ['what is computed', '17:1', undefined],
        ['rows in a test', '18:20', ['18+1']],
        ['a table without rows', '19:1', undefined],
      ],
    ),
  },
  async ({ row: { at, lines }, check }, { folder }) => {
    const path = join(folder, 'rows.lattice.ts');
    writeFileSync(path, rowSource);
    const url = pathToFileURL(path).href;
    const found = await findRowLines([{ url, line: 5 }], new Set([url]));
    const origin = { stack: `Error\n    at ${url}:${at}` };
    check.equal(
      found?.of(origin)?.map(({ location, lines: count }) => `${location?.line}+${count}`),
      lines && [...lines],
    );
    check.equal(
      [5, 6, 8, 9, 13].map((line) => found?.has(url, line)),
      [true, true, true, false, true],
    );
    check.equal(
      [found?.has('file:///other.ts', 5), await findRowLines([{ url }], new Set([url])), await findRowLines([{ url, line: 5 }], new Set())],
      [false, undefined, undefined],
    );
  },
);
