import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** Properties of the project that a new file should match. */
export interface ProjectStyle {
  readonly language: 'ts' | 'js';
  /** Whether its package declares ES modules. */
  readonly isModule: boolean;
  /** The extension of an ES module. */
  readonly extension: 'ts' | 'mts' | 'js' | 'mjs';
  /** The folder of its tests, from the root. Undefined if it has none. */
  readonly testFolder: string | undefined;
}

interface PackageFile {
  readonly type?: unknown;
  readonly dependencies?: object;
  readonly devDependencies?: object;
}

/** Examines a project: its package.json, its tsconfig.json, and the files in its root and its folders of sources and tests. */
export function findProjectStyle(root: string): ProjectStyle {
  const { type, dependencies, devDependencies } = readPackage(root);
  const names = ['', 'src', 'lib', 'tests', 'test'].flatMap((folder) => listNames(join(root, folder)));
  const hasTsconfig = existsSync(join(root, 'tsconfig.json'));
  const usesTypeScript = hasTsconfig || 'typescript' in { ...dependencies, ...devDependencies } || names.some((name) => /(?<!\.d)\.[cm]?tsx?$/.test(name));
  const usesJavaScript = names.some((name) => /\.[cm]?jsx?$/.test(name));
  const language = usesTypeScript || !usesJavaScript ? 'ts' : 'js';
  const isModule = type === 'module';
  // With these settings, tsc reads a .ts file as CommonJS unless the package declares ES modules.
  const goesByPackage = hasTsconfig && /"module"\s*:\s*"node(?:16|18|20|next)"/i.test(readFileSync(join(root, 'tsconfig.json'), 'utf8'));
  return {
    language,
    isModule,
    extension: language === 'js' ? (isModule ? 'js' : 'mjs') : goesByPackage && !isModule ? 'mts' : 'ts',
    testFolder: ['tests', 'test'].find((folder) => existsSync(join(root, folder))),
  };
}

function readPackage(root: string): PackageFile {
  try {
    return JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as PackageFile;
  } catch {
    return {};
  }
}

function listNames(folder: string): string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}
