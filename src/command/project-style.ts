import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** What a new file should be like to match the project. */
export interface ProjectStyle {
  readonly language: 'ts' | 'js';
  /** Whether its package declares ES modules. */
  readonly isModule: boolean;
  /** The extension of an ES module. */
  readonly extension: 'ts' | 'mts' | 'js' | 'mjs';
  /** The folder of its tests, from the root; undefined if it has none. */
  readonly testFolder: string | undefined;
}

interface PackageFile {
  readonly type?: unknown;
  readonly dependencies?: object;
  readonly devDependencies?: object;
}

/** Looks at the files of a project: its package.json, its tsconfig.json, and what is in its root and its folders of sources and tests. */
export function findProjectStyle(root: string): ProjectStyle {
  const { type, dependencies, devDependencies } = readPackage(root);
  const names = ['', 'src', 'lib', 'tests', 'test'].flatMap((folder) => listNames(join(root, folder)));
  const hasTsconfig = existsSync(join(root, 'tsconfig.json'));
  const usesTypeScript = hasTsconfig || 'typescript' in { ...dependencies, ...devDependencies } || names.some((name) => /(?<!\.d)\.[cm]?tsx?$/.test(name));
  const usesJavaScript = names.some((name) => /\.[cm]?jsx?$/.test(name));
  const language = usesTypeScript || !usesJavaScript ? 'ts' : 'js';
  const isModule = type === 'module';
  // With these settings, tsc takes a .ts file for CommonJS in a package that does not say otherwise.
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
