import { table, test } from 'red-lattice';
import { root, runCommand } from '../program.ts';

/** The options in the help of a command: each with its description in one line. */
const optionsOf = (help: string): Map<string, string> =>
  new Map(
    help
      .replace(/\n {10,}/g, ' ')
      .split('\n')
      .flatMap((line): [string, string][] => {
        const [, option, description] = /^ {2}(?:-\w, )?(--[\w-]+)(?: <[^>]+>)? +(.*)$/.exec(line) ?? [];
        return option && description ? [[option, description]] : [];
      }),
  );

export const shared = test('{option} has the same description and default in {commands}', {
  cases: table(
    ['option', 'commands', 'default'],
    [
      ['--load-timeout', 'run, plan, narrow, accept, explain', '(default: 30000)'],
      ['--title', 'run, plan, narrow, accept', ''],
      ['--tag', 'run, plan, narrow, accept', ''],
      ['--row', 'run, plan, narrow, accept', ''],
    ],
  ),
}, async ({ row, check }) => {
  const described = await Promise.all(
    row.commands.split(', ').map(async (command) => optionsOf((await runCommand([command, '--help'], root)).out).get(row.option)),
  );
  check.equal(new Set(described).size, 1, described.join('\n'));
  check.includes(described[0] ?? '', row.default);
});
