import { AsyncLocalStorage } from 'node:async_hooks';
import type { CaseAttempt } from '../../running/case-attempt.ts';

/** Runs code in the asynchronous context of a case, and captures its output. */
export class Output {
  readonly #cases = new AsyncLocalStorage<CaseAttempt>();

  bind<T>(run: CaseAttempt, callback: () => T): T {
    return this.#cases.run(run, callback);
  }

  /** The case to which the current code belongs, if any. */
  get current(): CaseAttempt | undefined {
    return this.#cases.getStore();
  }

  /**
   * Captures the standard streams of the process: output of a case is added to the case, other output is passed to `writeUnowned`. `inUse`:
   * the streams exist already.
   */
  capture(writeUnowned: (text: string) => void, inUse: boolean): void {
    for (const name of ['stdout', 'stderr'] as const) {
      const original = Object.getOwnPropertyDescriptor(process, name) as PropertyDescriptor;
      // Creating a stream takes longer than most cases, and most never use one.
      let stream: NodeJS.WriteStream | undefined;
      const get = (): NodeJS.WriteStream => {
        stream ??= this.#captured(original.get?.call(process) ?? original.value, writeUnowned);
        return stream;
      };
      Object.defineProperty(process, name, { ...original, get });
      if (inUse) get();
    }
  }

  #captured(stream: NodeJS.WriteStream, writeUnowned: (text: string) => void): NodeJS.WriteStream {
    stream.write = ((chunk: string | Uint8Array, encoding?: unknown, done?: unknown) => {
      const text = typeof chunk === 'string' ? chunk : Buffer.from(chunk).toString('utf8');
      const run = this.current;
      if (run && !run.ended) run.write(text);
      else writeUnowned(text);
      const callback = typeof encoding === 'function' ? encoding : done;
      if (typeof callback === 'function') queueMicrotask(() => (callback as () => void)());
      return true;
    }) as typeof stream.write;
    return stream;
  }
}
