import { cp, readdir, readFile, rm, symlink, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { suite, testWith, values } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { type ReportFormat, reportFormats } from '../../src/formats/report-formats.ts';
import { runCommand } from '../program.ts';
import { outcomes } from './outcomes-project.ts';

const secret = 'TOP-SECRET-LINE';

/** Each format of a report, and the terminal. */
const formats = values('format', ['terminal', ...reportFormats] as const);
const argumentsFor = (format: 'terminal' | ReportFormat): string[] => (format === 'terminal' ? [] : ['--format', format]);

export const foreign = suite('a record from elsewhere', { timeout: 60_000 }, [
  testWith({ project: outcomes, folder: tempDirectory() })(
    'does not bring files outside the project, control characters or formulas into {format}',
    { cases: formats },
    async ({ row, check }, { project, folder }) => {
      await writeFile(join(folder, 'secret.txt'), `${secret}\n`.repeat(80));
      const record = join(folder, 'record');
      await cp(join(project.folder, 'bad'), record, { recursive: true });
      const info = JSON.parse(await readFile(join(record, 'run.json'), 'utf8')) as Record<string, unknown>;
      await writeFile(join(record, 'run.json'), JSON.stringify({ ...info, root: join(folder, 'elsewhere') }));
      await symlink(join(folder, 'secret.txt'), join(project.folder, `link-${row.format}.txt`));
      for (const name of (await readdir(record)).filter((file) => file.endsWith('.journal'))) {
        const text = await readFile(join(record, name), 'utf8');
        const lines = text.split('\n').map((line) => {
          if (!line.includes('"failures":[{')) return line;
          const entry = JSON.parse(line) as { result: { failures: { location: object; frames: object[]; message: string }[] } };
          entry.result.failures.forEach((failure, i) => {
            const file = i % 2 === 0 ? join(folder, 'secret.txt') : `link-${row.format}.txt`;
            failure.location = { file, line: 12, column: 1 };
            failure.frames = [{ file: `/tmp/\u001b]0;title\u0007${i}.ts`, line: 3, column: 1 }, failure.location];
            failure.message = '=1+1\nand more';
          });
          return JSON.stringify(entry);
        });
        await writeFile(join(record, name), lines.join('\n'));
      }
      for (const name of await readdir(join(record, 'attachments'))) {
        await rm(join(record, 'attachments', name));
        await symlink(join(folder, 'secret.txt'), join(record, 'attachments', name));
      }
      const { out, output } = await runCommand(['report', record, ...argumentsFor(row.format)], project.folder);
      check.holds(out.length > 500);
      check.holds(!output.includes(secret), 'a file outside the project');
      check.holds(!output.includes(Buffer.from(secret).toString('base64').slice(0, 12)), 'an attachment that is a link');
      check.holds(!output.includes('\u001b]0;'), 'a terminal sequence');
      if (row.format === 'csv') check.holds(!/(?:^|,)"?[=+@]/m.test(out), 'a formula');
    },
  ),
]);
