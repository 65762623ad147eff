import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Fixture, fixture, type Scope } from '../fixtures/fixture.ts';

/**
 * Create a fixture of an empty folder. It is removed at the end of its scope, or kept and logged if a case that used it failed.
 *
 * ```ts
 * test('writes a receipt', { needs: { folder: tempDirectory() } }, async ({ check }, { folder }) => {
 *   await writeReceipt(folder);
 *   check.equal((await readdir(folder)).length, 1);
 * });
 * ```
 */
export function tempDirectory<const S extends Scope = 'case'>(scope?: S): Fixture<string, {}, S> {
  const made = fixture('temporary directory', {
    scope: scope ?? 'case',
    async setup({ defer, log }) {
      const folder = await mkdtemp(join(tmpdir(), 'red-lattice-'));
      defer(async ({ failed }) => {
        if (failed) log(`kept the temporary directory ${folder}`);
        else await rm(folder, { recursive: true, force: true, maxRetries: 3 });
      });
      return folder;
    },
  });
  return made as unknown as Fixture<string, {}, S>;
}

/**
 * A fixture to set environment variables. They are restored after the case, which runs alone in its lane.
 *
 * ```ts
 * test('reads the port', { needs: { env: environmentVariables } }, ({ check }, { env }) => {
 *   env.set('PORT', '8080');
 *   check.equal(readPort(), 8080);
 * });
 * ```
 */
export const environmentVariables: Fixture<{ set(name: string, value: string | undefined): void }, {}, 'case'> = fixture('environment', {
  // Every case that is running in the process sees the variables.
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
