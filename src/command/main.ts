import type { ChildProcess } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { Command, CommanderError, Option } from 'commander';
import { renderProblem } from '../formats/human/run.ts';
import { reportFormats } from '../formats/report-formats.ts';
import { CompileService } from '../node/compile-service.ts';
import { type Configuration, findConfiguration, readConfiguration } from '../node/configuration.ts';
import { addSourceMaps } from '../node/coverage.ts';
import { findRoot } from '../node/find-files.ts';
import { InProcessLane } from '../node/in-process-lane.ts';
import { findStateFolder } from '../node/record.ts';
import { startLane } from '../node/start-lane.ts';
import { findNearestName } from '../problems/nearest-name.ts';
import { ProblemError } from '../problems/problem-error.ts';
import { DEFAULT_BUDGET } from '../results/narrowing/narrow.ts';
import { acceptCommand } from './accept.ts';
import { wantsOneProcess } from './choose-process.ts';
import type { CommandContext } from './command-context.ts';
import { compareCommand } from './compare.ts';
import { explainCommand } from './explain.ts';
import { getInterruptStatus, interruptSignals } from './interruption.ts';
import { joinCommand } from './join.ts';
import { mergeCommand } from './merge.ts';
import { narrowCommand } from './narrow.ts';
import { newCommand } from './new.ts';
import { needsRestart, restartInOneProcess } from './one-process.ts';
import { addDisplayOptions, addSelection, appendValue, parsePair, wholeNumber } from './options.ts';
import { planCommand } from './plan.ts';
import { buildArguments, findProfile, formatUnknownProfile } from './profile.ts';
import { reportCommand } from './report.ts';
import { runCommand } from './run.ts';
import { createFormatting, createTerminal, failWith } from './terminal.ts';
import { version } from './version.ts';
import { viewCommand } from './view.ts';

/** The command that a single word most likely means, if it is not a file. Without a command, words select what to run. */
const suggestCommand = (where: readonly string[], program: Command, folder: string): string | undefined =>
  where.length === 1 && !existsSync(join(folder, where[0] as string))
    ? findNearestName(
        where[0] as string,
        program.commands.map((command) => command.name()),
      )
    : undefined;

/** Executes the arguments and returns the exit status. All commands are built into one file: at the start, files cost more than code. */
async function parse(args: readonly string[], setting: CommandContext, inProcess: boolean): Promise<number> {
  const { terminal } = setting;
  let status = 0;
  const program = new Command('red-lattice')
    .description('Unit tests with scoped, composable fixtures, and cases from tables, data files and matrices.')
    .version(version, '-v, --version', 'Print the version.')
    .helpOption('-h, --help', 'Print help.')
    .helpCommand('help [command]', 'Print the help of a command.')
    .enablePositionalOptions()
    .exitOverride()
    .showHelpAfterError('Add --help for its arguments, options and examples.')
    .configureOutput({
      writeOut: (text) => terminal.out(text.trimEnd()),
      writeErr: (text) => terminal.error(text.trimEnd()),
      outputError: (text, write) => write(text.replace(/^error: /, 'red-lattice: ')),
    });

  addDisplayOptions(
    addSelection(
      program
        .command('run', { isDefault: true })
        .description('Run tests and report the results.')
        .argument('[where...]', 'folders, files, patterns, or file:line of a test or a data row'),
    ),
  )
    .option('-l, --lanes <n>', 'Run cases in n lanes (worker processes). Default: one per processor. 0: a single process.', wholeNumber(0))
    .option('-c, --concurrency <n>', 'Run up to n cases at a time in each lane. Default: 1.', wholeNumber(1))
    .option('--timeout <ms>', 'Set the default time limit of a case body. Default: 10000.', wholeNumber(1))
    .option('--seed <n>', 'Set the seed of random values and of --shuffle. Default: random, printed after each run.', wholeNumber(0))
    .option('--strict', 'Treat warnings as failures: unreachable tests, cases without checks, unused overrides and columns, flaky cases.')
    .option('--shuffle', 'Run files, suites, tests and blocks of rows in random order.')
    .option('--retries <n>', 'Retry a failed case up to n times.', wholeNumber(0))
    .option('--stop-after <n>', 'Start no new cases after n have failed.', wholeNumber(1))
    .addOption(
      new Option('--show <what>', 'Print failures (one line per test, each failure in full), cases (one line per case) or summary.')
        .choices(['failures', 'cases', 'summary'])
        .default('failures'),
    )
    .addOption(new Option('--format <format>', 'Write the results in a machine-readable format instead of text.').choices([...reportFormats]))
    .option('--resume', 'Continue the last run, which was interrupted or stopped.')
    .option('--pool <url>', 'Also run cases in the lanes of machines that have joined this Redis server: redis://host:6379. With --lanes 0, only there.')
    .option('--watch', 'Run again whenever a file that the tests read changes.')
    .option('--timeline', 'Print every setup, body and teardown on a timeline.')
    .option('--leaks', 'Report what cases leave open, and where it was opened.')
    .option('--profile <name>', 'Use a named set of options from red-lattice.config.ts. Options given here win.')
    .option('--record <path>', 'Write the run record to this folder. Default: .red-lattice/runs/<time>-<seed>.')
    .addHelpText(
      'after',
      '\nExamples:\n  red-lattice run\n  red-lattice run tests/dues.lattice.ts:14\n  red-lattice run data/dues.csv:27\n  red-lattice run --title "shore power" --show cases',
    )
    .action(async (where: string[], options) => {
      const meant = suggestCommand(where, program, setting.folder);
      status = meant ? failWith(terminal, `${where[0]} is neither a command nor a file; did you mean ${meant}?`) : await runCommand(where, options, setting);
    });

  addSelection(program.command('plan').description('List the cases that run would run.').argument('[where...]', 'folders, files, patterns, or file:line'))
    .option('--all', 'List every case, however many there are.')
    .addOption(new Option('--format <format>', 'Write all cases as JSON, or as CSV that works as a data file.').choices(['json', 'csv']))
    .addHelpText('after', '\nExamples:\n  red-lattice plan --tag money\n  red-lattice plan tests/berths.lattice.ts:26 --format csv > tests/data/berths.csv')
    .action(async (where: string[], options) => {
      status = await planCommand(where, options, setting);
    });

  addSelection(
    program
      .command('narrow')
      .description('Run tests, then more rows of those that fail, until it is known which values make them fail.')
      .argument('[where...]', 'folders, files, patterns, or file:line of a test or a data row'),
  )
    .option('--budget <cases>', 'Run at most this number of extra cases.', wholeNumber(1), DEFAULT_BUDGET)
    .option('--vary <columns>', 'Change only these columns, separated by commas. Default: all.', (text) => text.split(',').map((name) => name.trim()))
    .option('-l, --lanes <n>', 'Run cases in n lanes (worker processes). Default: one per processor.', wholeNumber(1))
    .option('--seed <n>', 'Set the seed of random values and of the rows that are tried. Default: 1.', wholeNumber(0))
    .option('--export <file>', 'Write the rows that were tried to a data file: .csv, .json or .jsonl.')
    .addOption(new Option('--format <format>', 'Write the causes as JSON.').choices(['json']))
    .addHelpText(
      'after',
      '\nExamples:\n  red-lattice narrow tests/dues.lattice.ts\n  red-lattice narrow --failed --budget 50\n  red-lattice narrow data/dues.csv:27 --vary season,hull',
    )
    .action(async (where: string[], options) => {
      status = await narrowCommand(where, options, setting);
    });

  addSelection(
    program
      .command('accept')
      .description('Write the values that failed checks computed for columns into the data files that the rows come from.')
      .argument('[where...]', 'folders, files, or file:line of a test or a data row'),
  )
    .option('--column <column>', 'Accept this column only. Repeat for more.', appendValue)
    .option('-y, --yes', 'Write without asking.')
    .option('--check', 'Only report. The exit status is 1 if something would change.')
    .option('--all', 'List every value, not only the first ones of each file.')
    .option('--record <record>', 'Read this record: a folder, latest or previous.', 'latest')
    .addOption(new Option('--format <format>', 'Write the changes as JSON.').choices(['json']))
    .addHelpText('after', '\nExamples:\n  red-lattice accept\n  red-lattice accept data/dues.csv --column due\n  red-lattice accept data/dues.csv:27 --yes')
    .action(async (where: string[], options) => {
      status = await acceptCommand(where, options, setting);
    });

  program
    .command('explain')
    .description('Show how a case is set up: its fixtures in order, where each is defined and what overrides it.')
    .argument('<case>', 'an id, part of a title, or file:line')
    .addOption(new Option('--format <format>', 'Write all matching cases as JSON.').choices(['json']))
    .option('--load-timeout <ms>', 'Set the time limit for loading a test file.', wholeNumber(1), 30_000)
    .addHelpText('after', '\nExamples:\n  red-lattice explain tests/bookings.lattice.ts:46\n  red-lattice explain "in April"')
    .action(async (target: string, options) => {
      status = await explainCommand(target, options, setting);
    });

  addDisplayOptions(
    program
      .command('report')
      .description('Print a run record as text or in another format.')
      .argument('[record]', 'a record folder or its name, latest, previous, or a JSON or JSON Lines report', 'latest'),
  )
    .addOption(new Option('--format <format>', 'Write this format instead of text.').choices([...reportFormats]))
    .option('-o <file>', 'Write to a file. Without --format, its extension determines the format.')
    .addHelpText('after', '\nExamples:\n  red-lattice report\n  red-lattice report previous --format markdown\n  red-lattice report -o results.html')
    .action(async (record: string, options) => {
      status = await reportCommand(record, options, setting);
    });

  program
    .command('compare')
    .description('Compare two run records: newly failing, fixed, still failing, in one run only, slower, faster.')
    .argument('[before]', 'a record folder or its name, latest, previous, or a JSON or JSON Lines report', 'previous')
    .argument('[after]', 'as before', 'latest')
    .option('--variants <before,after>', 'Compare the cases of two variants of a suite, or of a suite and its adaptation, by title.', parsePair)
    .addOption(new Option('--format <format>', 'Write this format instead of text.').choices(['markdown', 'json']))
    .addHelpText(
      'after',
      '\nExamples:\n  red-lattice compare\n  red-lattice compare main.jsonl latest --format markdown\n  red-lattice compare latest latest --variants "in memory,in the database"',
    )
    .action(async (before: string, after: string, options, command: Command) => {
      status = await compareCommand(before, after, { ...options, isAfterGiven: command.args.length > 1 }, setting);
    });

  program
    .command('view')
    .description('Serve the results page on this machine; it follows a running run.')
    .argument('[record]', 'a record folder or its name, latest (and each newer one), previous, or a report', 'latest')
    .option('--port <n>', 'Serve on this port. Default: any free port.', wholeNumber(1), 0)
    .addHelpText('after', '\nExample:\n  red-lattice view')
    .action(async (record: string, options) => {
      status = await viewCommand(record, options, setting);
    });

  program
    .command('new')
    .description('Create a starter test file with a fixture, a table and a data file.')
    .argument('<name>', 'the name, with its folder: tests/berths')
    .option('--config', 'Also write what the project lacks: a configuration, a tsconfig.json, an npm script.')
    .addHelpText('after', '\nExample:\n  red-lattice new tests/berths')
    .action(async (name: string, options) => {
      status = await newCommand(name, options, setting);
    });

  program
    .command('join')
    .description('Lend the lanes of this machine to runs with --pool, until it is stopped.')
    .argument('<url>', 'the Redis server where the machines meet: redis://host:6379')
    .option('-l, --lanes <n>', 'Lend n lanes (worker processes). Default: one per processor.', wholeNumber(1))
    .option('--once', 'End after one run.')
    .option('--name <name>', 'The name of this machine in messages. Default: its host name.')
    .addHelpText('after', '\nExamples:\n  red-lattice join redis://localhost:6379\n  red-lattice join redis://ci-redis:6379 --lanes 4 --once')
    .action(async (url: string, options) => {
      status = await joinCommand(url, options, setting);
    });

  program
    .command('merge')
    .description('Merge the run records of several shards into one.')
    .argument('<record...>', 'the record folders')
    .option('-o <folder>', 'Write the merged record to this folder. Default: .red-lattice/runs/<name>.')
    .addHelpText('after', '\nExample:\n  red-lattice merge shards/* -o whole')
    .action(async (records: string[], options) => {
      status = await mergeCommand(records, options, setting);
    });

  try {
    const expanded = await withProfile(args, setting);
    if (!expanded) return 2;
    // Only the profile requests it. The new process reads the same profile.
    if (!inProcess && wantsOneProcess(expanded)) return (await restartInOneProcess([...args, '--lanes', '0'])).status;
    if (inProcess && needsRestart((await setting.configuration()).config)) return (await restartInOneProcess(args)).status;
    await program.parseAsync(expanded, { from: 'user' });
    return status;
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    throw error;
  }
}

/** Reads a project's configuration in the lane that will run its first cases. */
async function configuration(folder: string, lane: () => ChildProcess): Promise<Configuration> {
  const root = findRoot(folder);
  const path = findConfiguration(root);
  if (path === undefined) return { config: {}, problems: [] };
  const cache = join(findStateFolder(root), 'cache');
  return readConfiguration(path, cache, lane(), new CompileService(cache));
}

/** The arguments, preceded by those of a profile, so that typed ones win. Undefined if the profile does not exist. */
async function withProfile(args: readonly string[], setting: CommandContext): Promise<string[] | undefined> {
  const name = findProfile(args);
  if (name === undefined) return [...args];
  const { config, problems } = await setting.configuration();
  const profile = config.profiles?.[name];
  // The command itself reports problems of the configuration.
  if (problems.length > 0) return [...args];
  if (!profile) {
    failWith(setting.terminal, formatUnknownProfile(name, config.profiles));
    return undefined;
  }
  const [first, ...rest] = args;
  return first === 'run' ? [first, ...buildArguments(profile), ...rest] : [...buildArguments(profile), ...args];
}

/** Completes the coverage of a process that ran everything itself. */
export const mapCoverage = (written: string, pid: number): void => addSourceMaps(written, pid, join(findStateFolder(findRoot(process.cwd())), 'cache'));

/** Runs the command to its end. Only this function ends the process, and the lane that was started for it. */
export async function main(args: readonly string[], started: ChildProcess | undefined, inProcess: boolean): Promise<void> {
  const firstLane = inProcess ? InProcessLane.start : startLane;
  const terminal = createTerminal();
  let lane = started;
  let running = started ? 1 : 0;
  let configured: Promise<Configuration> | undefined;
  const setting: CommandContext = {
    folder: process.cwd(),
    terminal,
    acquireLane() {
      const given = lane ?? (running++ === 0 ? firstLane() : startLane());
      lane = undefined;
      return given;
    },
    configuration(isReload = false) {
      if (isReload) configured = undefined;
      configured ??= configuration(process.cwd(), () => {
        lane ??= running++ === 0 ? firstLane() : startLane();
        return lane;
      });
      return configured;
    },
    onInterrupt(callback) {
      let interrupts = 0;
      for (const signal of interruptSignals)
        process.on(signal, () => {
          // A lane in this process cannot be killed from outside.
          if (inProcess && ++interrupts > 2) process.exit(getInterruptStatus(signal));
          callback(signal);
        });
      onClosed = () => callback('SIGPIPE');
    },
    onEarlyExit(callback) {
      const ended = (): void => {
        process.exitCode = callback();
      };
      if (inProcess) process.on('exit', ended);
      return () => void process.off('exit', ended);
    },
  };
  let isClosed = false;
  let onClosed = (): void => process.exit(getInterruptStatus('SIGPIPE'));
  for (const stream of [process.stdout, process.stderr])
    stream.on('error', ({ code }: NodeJS.ErrnoException) => {
      if (code !== 'EPIPE') process.exit(2);
      // Each further write fails as well.
      if (!isClosed) onClosed();
      isClosed = true;
    });
  try {
    process.exitCode = await parse(args, setting, inProcess);
  } catch (error) {
    // Errors of the system and of arguments need no stack: the message names the file and the reason.
    const { code, message, stack } = error as NodeJS.ErrnoException;
    const formatting = createFormatting(findRoot(setting.folder), terminal);
    if (error instanceof ProblemError)
      for (const problem of error.problems) for (const line of renderProblem(problem, formatting, terminal.style.red)) terminal.error(line);
    else if (code !== undefined && /^E[A-Z]+$/.test(code)) failWith(terminal, message);
    else terminal.error(`red-lattice: ${stack ?? String(error)}`);
    process.exitCode = 2;
  }
  // The output was not read completely.
  if (isClosed) process.exitCode = getInterruptStatus('SIGPIPE');
  lane?.kill('SIGKILL');
  // Resources that tests have left open in this process must not keep it alive.
  if (inProcess) process.exit();
}
