import { AsyncLocalStorage } from 'node:async_hooks';
import type { CaseRun } from '../../running/case-run.ts';

/** Binds what runs to the case that started it, and catches what it writes. */
export class Output {
  readonly #cases = new AsyncLocalStorage<CaseRun>();

  bind<T>(run: CaseRun, act: () => T): T {
    return this.#cases.run(run, act);
  }

  /** The case that started what is running now, if any. */
  get current(): CaseRun | undefined {
    return this.#cases.getStore();
  }

  /** Takes over the process's standard streams: a case's text is kept with it, the rest goes to `loose`. */
  capture(loose: (text: string) => void): void {
    for (const stream of [process.stdout, process.stderr]) {
      stream.write = ((chunk: string | Uint8Array, encoding?: unknown, done?: unknown) => {
        const text = typeof chunk === 'string' ? chunk : Buffer.from(chunk).toString('utf8');
        const run = this.current;
        if (run && !run.ended) run.write(text);
        else loose(text);
        const callback = typeof encoding === 'function' ? encoding : done;
        if (typeof callback === 'function') queueMicrotask(() => (callback as () => void)());
        return true;
      }) as typeof stream.write;
    }
  }
}
