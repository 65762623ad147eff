import { mkdtemp, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { type Fixture, fixture, type Scope } from '../fixtures/fixture.ts';
import { temporaryFolder } from './temporary.ts';

/** An empty folder, removed at the scope's end; kept, and named in the output, where a case that used it failed. */
export function tempDirectory<const S extends Scope = 'case'>(scope?: S): Fixture<string, {}, S> {
  const made = fixture('temporary directory', {
    scope: scope ?? 'case',
    async setup({ defer, log }) {
      const folder = await mkdtemp(join(temporaryFolder(), 'red-lattice-'));
      defer(async ({ failed }) => {
        if (failed) log(`kept the temporary directory ${folder}`);
        else await rm(folder, { recursive: true, force: true, maxRetries: 3 });
      });
      return folder;
    },
  });
  return made as unknown as Fixture<string, {}, S>;
}

/** Sets environment variables for the case, and puts back what was there; its case runs alone in its lane. */
export const environmentVariables: Fixture<{ set(name: string, value: string | undefined): void }, {}, 'case'> = fixture('environment', {
  // Variables are seen by every case that is under way in the process.
  locks: ['*'],
  setup({ defer }) {
    const assign = (name: string, value: string | undefined): void => {
      if (value === undefined) delete process.env[name];
      else process.env[name] = value;
    };
    return {
      set(name: string, value: string | undefined): void {
        const before = process.env[name];
        defer(() => assign(name, before));
        assign(name, value);
      },
    };
  },
});
