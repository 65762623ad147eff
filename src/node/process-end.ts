import type { ChildProcess } from 'node:child_process';

/** Characters. */
const MAX_OUTPUT_LENGTH = 4000;
/** Milliseconds in which the last output of an ended process arrives. */
const OUTPUT_GRACE_MS = 200;

/** Collects the output of a process. Returns a function that returns the end of it. */
export function collectOutput(child: ChildProcess): () => string {
  let output = '';
  for (const stream of [child.stdout, child.stderr])
    stream?.setEncoding('utf8').on('data', (text: string) => {
      output = (output + text).slice(-MAX_OUTPUT_LENGTH);
    });
  return () => output;
}

/** Calls `onEnd` once after a process has exited and its output has been read. A child process can keep the output open: then `onEnd` is called after a short wait. */
export function onProcessEnd(child: ChildProcess, onEnd: (code: number | null, signal: NodeJS.Signals | null) => void): void {
  child.once('exit', (code, signal) => {
    let hasActed = false;
    const end = (): void => {
      clearTimeout(timer);
      if (!hasActed) onEnd(code, signal);
      hasActed = true;
    };
    const timer = setTimeout(end, OUTPUT_GRACE_MS);
    child.once('close', end);
  });
}
