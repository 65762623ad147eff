// Shared by the scripts: running a program to its end, and preparing a checkout.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = fileURLToPath(new URL('..', import.meta.url));

/** Runs a program and shows its output. Returns its exit status. */
export function show(program, args, options = {}) {
  const { status, error } = spawnSync(program, args, { cwd: root, stdio: 'inherit', ...options });
  if (error) throw error;
  return status ?? 1;
}

/** Runs a program that must succeed. */
export function must(program, args, options) {
  const status = show(program, args, options);
  if (status !== 0) process.exit(status);
}

/** Installs what is missing and builds. */
export function makeReady() {
  if (!existsSync(join(root, 'node_modules', 'esbuild')) || !existsSync(join(root, 'node_modules', 'typescript')))
    must('npm', ['ci', '--no-audit', '--no-fund']);
  must(process.execPath, [join(root, 'scripts', 'build.mjs')]);
}

export const command = join(root, 'dist', 'command.js');

/** One lane more than processors: many of the project's own tests wait for other processes. */
export const laneOptions = ['--lanes', String(availableParallelism() + 1)];
