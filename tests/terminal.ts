import { execFile } from 'node:child_process';
import { command, plainEnvironment } from './program.ts';

interface TerminalOptions {
  readonly columns?: number;
  /** Typed once, when the output contains `after`. */
  readonly typed?: { readonly after: string; readonly keys: string };
  /** Shell commands that run afterwards. Default: none. */
  readonly then?: string;
}

/** Runs the built command in a pseudo-terminal. Its output has `\r\n` at the ends of lines. */
export const runInTerminal = (args: string, folder: string, { columns = 80, typed, then }: TerminalOptions = {}): Promise<{ status: number; out: string }> =>
  new Promise((resolve) => {
    const script = [`stty cols ${columns} rows 30`, `${process.execPath} ${command} ${args}`, ...(then ? [then] : [])].join('; ');
    const environment = { ...plainEnvironment(), TERM: 'xterm' };
    const child = execFile('script', ['-qec', script, '/dev/null'], { cwd: folder, env: environment }, (error, out) =>
      resolve({ status: error ? Number(error.code ?? 1) : 0, out }),
    );
    let out = '';
    let isTyped = false;
    child.stdout?.on('data', (text) => {
      out += text;
      if (isTyped || !typed || !out.includes(typed.after)) return;
      isTyped = true;
      child.stdin?.write(typed.keys);
    });
  });
