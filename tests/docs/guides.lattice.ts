import { mkdir, readdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { fixture, namedRows, suite, test } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { root, runCommand, runNode } from '../program.ts';
import { makeProject } from '../project.ts';

interface Block {
  readonly language: string;
  readonly file: string | undefined;
  readonly text: string;
}

/** The fenced blocks of a guide: those with `file=` make a project, and those of `console` are run in it. */
function blocksOf(markdown: string): Block[] {
  return [...markdown.matchAll(/^```(\w+)(?: file=(\S+))?\n(.*?)^```$/gms)].map(([, language = '', file, text = '']) => ({ language, file, text }));
}

/** Times differ from run to run, and so do the lines that contain them. */
const plain = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.replace(/(?: {2}|, | in )[\d.]+ m?s(?= {2}|$)/, '').trimEnd())
    .filter((line) => line && !/^[\d.]+ m?s \(/.test(line));

/** The guides with code of their own. */
const guides = Object.fromEntries(
  (
    await Promise.all(
      ['README.md', ...(await readdir(join(root, 'docs'))).filter((name) => name.endsWith('.md') && name !== 'reference.md').map((name) => `docs/${name}`)].map(
        async (name) => [name, { blocks: blocksOf(await readFile(join(root, name), 'utf8')) }] as const,
      ),
    )
  ).filter(([, { blocks }]) => blocks.some(({ file }) => file)),
);

/** The subfolder of a guide's project. */
const placeOf = (guide: string): string => guide.replaceAll('/', '-');

/** One project per guide, with the files of the guide and those that it requires, and the compiler's messages about all projects. */
const projects = fixture('projects', {
  scope: 'file',
  timeout: 60_000,
  needs: { folder: tempDirectory('file') },
  async setup(_, { folder }) {
    const tsconfig = {
      extends: join(root, 'tests', 'tsconfig.json'),
      compilerOptions: { typeRoots: [join(root, 'node_modules', '@types')] },
      include: ['.'],
      exclude: ['**/node_modules'],
    };
    const bookings = await readFile(join(root, 'examples', 'harbour-office', 'src', 'bookings.ts'), 'utf8');
    for (const [guide, { blocks }] of Object.entries(guides)) {
      const place = join(folder, placeOf(guide));
      await makeProject(place);
      const given = { 'package.json': '{"name":"guide","type":"module"}\n', 'tsconfig.json': JSON.stringify(tsconfig), 'bookings.ts': bookings };
      const written = blocks.flatMap(({ file, text }): [string, string][] => (file ? [[file, text]] : []));
      for (const [name, text] of [...Object.entries(given), ...written]) {
        await mkdir(dirname(join(place, name)), { recursive: true });
        await writeFile(join(place, name), text);
      }
    }
    await writeFile(join(folder, 'tsconfig.json'), JSON.stringify(tsconfig));
    const { output } = await runNode([join(root, 'node_modules', 'typescript', 'bin', 'tsc'), '-p', 'tsconfig.json'], folder);
    return { folder, problems: output.split(/\n(?! )/).filter((problem) => problem.trim() !== '') };
  },
});

export const docs = suite('guides', { timeout: 60_000 }, [
  test('the reference matches the docstrings', async ({ check }) => {
    const { status, output } = await runNode([join(root, 'scripts', 'reference.mjs'), '--check'], root);
    check.equal(status, 0, output);
  }),

  test(
    '{guide}: its code compiles, and its commands print the shown output',
    {
      needs: { projects },
      cases: namedRows(guides).derive((row) => ({ guide: Object.keys(guides).find((name) => guides[name]?.blocks === row.blocks) ?? '' })),
    },
    async ({ row, check, step }, { projects }) => {
      const project = join(projects.folder, placeOf(row.guide));
      await step('types', ({ check }) => {
        // A message without a guide fails all guides.
        const isOfOther = (line: string): boolean => Object.keys(guides).some((guide) => guide !== row.guide && line.startsWith(`${placeOf(guide)}/`));
        check.equal(
          projects.problems.filter((line) => !isOfOther(line)),
          [],
        );
      });
      await step('every test file loads and is planned', async ({ check }) => {
        const { status, output } = await runCommand(['plan'], project);
        check.equal(status, 0, output);
      });
      for (const { text } of row.blocks.filter(({ language }) => language === 'console')) {
        const [first = '', ...shown] = text.split('\n');
        const words = [...first.replace(/^\$ npx red-lattice /, '').matchAll(/"([^"]*)"|(\S+)/g)].map(([, quoted, plainWord]) => quoted ?? plainWord ?? '');
        await step(first, async ({ check }) => {
          const { output } = await runCommand(words, project);
          const said = plain(output);
          const missing = plain(shown.join('\n')).filter((line) => !said.includes(line));
          check.equal(missing, [], output);
        });
      }
      check.holds(row.blocks.length > 0);
    },
  ),
]);
