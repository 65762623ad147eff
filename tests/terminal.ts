import { execFile } from 'node:child_process';
import { command, plainEnvironment } from './program.ts';

interface TerminalOptions {
  readonly columns?: number;
  /** Typed one after the other, each when the output since then contains `after`. */
  readonly typed?: readonly { readonly after: string; readonly keys: string }[];
  /** Shell commands that run afterwards. Default: none. */
  readonly then?: string;
}

/** Runs the built command in a pseudo-terminal. Its output has `\r\n` at the ends of lines. */
export const runInTerminal = (
  args: string,
  folder: string,
  { columns = 80, typed = [], then }: TerminalOptions = {},
): Promise<{ status: number; out: string }> =>
  new Promise((resolve) => {
    const script = [`stty cols ${columns} rows 30`, `${process.execPath} ${command} ${args}`, ...(then ? [then] : [])].join('; ');
    const environment = { ...plainEnvironment(), TERM: 'xterm' };
    const child = execFile('script', ['-qec', script, '/dev/null'], { cwd: folder, env: environment }, (error, out) =>
      resolve({ status: error ? Number(error.code ?? 1) : 0, out }),
    );
    let out = '';
    const waiting = [...typed];
    child.stdout?.on('data', (text) => {
      out += text;
      const [next] = waiting;
      if (!next || !out.includes(next.after)) return;
      waiting.shift();
      out = '';
      child.stdin?.write(next.keys);
    });
  });
