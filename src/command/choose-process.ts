/** The process that runs the cases of a command: a lane that starts immediately, a lane that starts on demand, this process, or a new one. */
export type CaseProcess = 'lane' | 'later lane' | 'this process' | 'new process';

/** The properties of a Node process that determine where cases can run. */
export interface Runtime {
  /** The Node flags of the process. */
  readonly flags: readonly string[];
  /** Whether the process has the flags of a lane. */
  readonly isLane: boolean;
  /** Whether hooks can load modules from source. */
  readonly hasHooks: boolean;
  readonly measuresCoverage: boolean;
}

/** Commands that usually need no lane. */
const COMMANDS_WITHOUT_LANE = ['accept', 'compare', 'help', 'merge', 'new', 'report', 'view'];
const OPTIONS_WITHOUT_LANE = ['-h', '--help', '-v', '--version'];

/** Whether the arguments request a single process: the last `--lanes` is 0, and `--pool` is absent. */
export function wantsOneProcess(args: readonly string[]): boolean {
  if (args.some((argument) => argument === '--pool' || argument.startsWith('--pool='))) return false;
  let lanes: string | undefined;
  args.forEach((argument, at) => {
    if (argument === '--lanes' || argument === '-l') lanes = args[at + 1];
    else lanes = /^(?:--lanes=|-l)(\d+)$/.exec(argument)?.[1] ?? lanes;
  });
  return lanes === '0';
}

/**
 * Whether a process can load modules from source: with the flags of a lane, or by hooks. Hooks cannot load the configuration twice, as
 * `--watch` does, and coverage must be completed after the process has ended.
 */
const canRunCases = (args: readonly string[], { isLane, hasHooks, measuresCoverage }: Runtime): boolean =>
  isLane || (hasHooks && !args.includes('--watch') && !measuresCoverage);

/** Chooses the process that runs the cases. Also returns the arguments, with `--lanes 0` added in a debugger. */
export function chooseProcess(given: readonly string[], runtime: Runtime): { readonly args: readonly string[]; readonly process: CaseProcess } {
  const [word = ''] = given.filter((argument) => !argument.startsWith('-'));
  // A debugger attaches to one process. Everything runs there if no number of lanes is given.
  const isDebugged =
    word === 'run' && runtime.flags.some((flag) => flag.startsWith('--inspect')) && !given.some((argument) => /^(?:--lanes|-l)/.test(argument));
  const args = isDebugged ? [...given, '--lanes', '0'] : given;
  if (wantsOneProcess(args)) return { args, process: canRunCases(args, runtime) ? 'this process' : 'new process' };
  const needsNone = COMMANDS_WITHOUT_LANE.includes(word) || args.some((argument) => OPTIONS_WITHOUT_LANE.includes(argument));
  return { args, process: needsNone ? 'later lane' : 'lane' };
}
