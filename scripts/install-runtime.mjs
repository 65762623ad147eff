// Other versions of Node, which come from the registry as packages.
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root, show } from './steps.mjs';

const platform = process.platform === 'win32' ? 'win' : process.platform;
const name = `node-${platform}-${process.arch}`;

/** The path of a runtime; installs it if it is missing. Undefined if that fails in CI. */
export function installRuntime(version) {
  const folder = join(root, '.red-lattice', 'runtimes', version);
  const path = join(folder, 'node_modules', name, 'bin', process.platform === 'win32' ? 'node.exe' : 'node');
  if (!existsSync(path)) {
    mkdirSync(folder, { recursive: true });
    writeFileSync(join(folder, 'package.json'), '{}\n');
    const status = show('npm', ['install', '--no-audit', '--no-fund', '--silent', `${name}@${version}`], { cwd: folder });
    if (status !== 0 && process.env.CI) return undefined;
    if (status !== 0) process.exit(status);
  }
  return path;
}
