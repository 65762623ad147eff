import { cp, readdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { range, suite, testWith } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { createRandom, type Random } from '../../src/cases/random.ts';
import { compareCommand } from '../../src/command/compare.ts';
import { mergeCommand } from '../../src/command/merge.ts';
import { reportCommand } from '../../src/command/report.ts';
import { type ReportFormat, reportFormats } from '../../src/formats/report-formats.ts';
import { plainStyle } from '../../src/formats/style.ts';
import { pageHead, pageLines } from '../../src/node/page-lines.ts';
import { isToCoordinator } from '../../src/node/protocol.ts';
import { openRecord } from '../../src/node/recorded.ts';
import { ProblemError } from '../../src/problems/problem-error.ts';
import { outcomes } from './outcomes-project.ts';

const values: readonly unknown[] = [null, true, -1, 1e300, 0.5, '', '__proto__', 'x'.repeat(5000), [], [null], {}, { toString: 1 }, [[]], { length: -1 }];

/** A JSON value with one change: another value, or a missing or repeated part. */
function changed(value: unknown, random: Random): unknown {
  const isInner = typeof value === 'object' && value !== null && Object.keys(value).length > 0 && random.integer(0, 3) > 0;
  if (!isInner) return random.pick(values);
  const copy: any = Array.isArray(value) ? [...value] : { ...value };
  const key = random.pick(Object.keys(copy));
  const change = random.integer(0, 9);
  if (change === 0) delete copy[key];
  else if (change === 1 && Array.isArray(copy)) copy.push(copy[Number(key)]);
  else copy[key] = changed(copy[key], random);
  return copy;
}

/** A text with one change: a line changed, removed, repeated, moved or cut, or another byte. */
function damaged(text: string, random: Random): string {
  const lines = text.split('\n');
  const at = random.integer(0, lines.length - 1);
  const line = lines[at] as string;
  switch (random.integer(0, 9)) {
    case 0:
      return lines.toSpliced(at, 1).join('\n');
    case 1:
      return lines.toSpliced(at, 0, line).join('\n');
    case 2:
      return lines
        .toSpliced(at, 1)
        .toSpliced(random.integer(0, lines.length - 1), 0, line)
        .join('\n');
    case 3:
      return text.slice(0, random.integer(0, text.length));
    case 4:
      return lines.with(at, line.slice(0, random.integer(0, line.length))).join('\n');
    case 5: {
      const from = random.integer(0, Math.max(0, line.length - 1));
      return lines.with(at, line.slice(0, from) + random.pick([...'0"{}[],:\\+=\t9-e']) + line.slice(from + 1)).join('\n');
    }
    default:
      return lines.with(at, line.startsWith('{') ? JSON.stringify(changed(JSON.parse(line), random)) : changedPass(line, random)).join('\n');
  }
}

/** The line of a passed case with another beginning, or another byte in its row. */
function changedPass(line: string, random: Random): string {
  const from = line.indexOf('[') + random.integer(1, 10);
  return random.integer(0, 1) === 0 ? `+${line}` : `${line.slice(0, from)}}${line.slice(from + 1)}`;
}

const inProject = testWith({ project: outcomes, folder: tempDirectory() });

export const damage = suite('a damaged record', { timeout: 60_000 }, [
  inProject(
    'is reported, compared and merged without an internal error: seed {seed}',
    { cases: range('seed', 1, 20) },
    async ({ row, check }, { project, folder }) => {
      const random = createRandom(`damage ${row.seed}`);
      const names = (await readdir(join(project.folder, 'bad'))).filter((name) => name.endsWith('.journal') || name === 'run.json');
      const record = join(folder, 'record');
      await cp(join(project.folder, 'bad'), record, { recursive: true });
      const page = async (): Promise<number> => {
        const opened = openRecord(record, project.folder, project.folder);
        if (typeof opened === 'string') return 2;
        pageHead(opened, project.folder);
        for (const _ of pageLines(
          opened,
          (file) => file,
          () => undefined,
        ));
        return 0;
      };
      let [read, refused] = [0, 0];
      for (let i = 0; i < 50; i++) {
        const name = random.pick(names);
        const text = await readFile(join(record, name), 'utf8');
        const whole = name === 'run.json' ? JSON.stringify(JSON.parse(text)) : text;
        await writeFile(join(record, name), damaged(whole, random));
        const errors: string[] = [];
        const setting: any = {
          folder: project.folder,
          terminal: { out: () => undefined, writeRaw: () => undefined, error: (line: string) => errors.push(line), style: plainStyle, width: 100 },
        };
        const act = random.pick<() => Promise<number>>([
          () => reportCommand(record, { format: random.pick<ReportFormat>(reportFormats.filter((format) => format !== 'html')) }, setting),
          page,
          () => reportCommand(record, {}, setting),
          () => compareCommand(join(project.folder, 'good'), record, {}, setting),
          () => compareCommand(record, join(project.folder, 'good'), { format: 'markdown' }, setting),
          () => mergeCommand([record], { o: join(folder, `merged-${i}`) }, setting),
        ]);
        try {
          if ((await act()) === 2 && errors.length > 0) refused++;
          else read++;
        } catch (error) {
          // Messages of these are for users; anything else is an internal error.
          if (error instanceof ProblemError) refused++;
          else check.fail(`seed ${row.seed}, record ${i}, ${name}: ${(error as Error).stack}`);
        }
        await writeFile(join(record, name), text);
      }
      check.holds(read > 0 && refused > 0, `${read} read, ${refused} refused`);
    },
  ),

  inProject('has messages that are ignored unless they are complete: seed {seed}', { cases: range('seed', 1, 5) }, ({ row, check }) => {
    const random = createRandom(`messages ${row.seed}`);
    const address = { test: 0, ordinal: 0, position: 0 };
    const messages = [
      { from: 'lane', type: 'free' },
      { from: 'lane', type: 'lock', request: 1, names: ['basin'] },
      { from: 'lane', type: 'fetch', request: 1, address },
      { from: 'lane', type: 'compile', key: 'k', path: '/a.ts' },
    ];
    for (const message of messages) {
      check.holds(isToCoordinator(message), message.type);
      for (const key of Object.keys(message)) {
        const { [key as 'from']: _left, ...rest } = message;
        check.holds(!isToCoordinator(rest), `${message.type} without ${key}`);
      }
      for (let i = 0; i < 50; i++) isToCoordinator(changed(message, random));
    }
  }),
]);
