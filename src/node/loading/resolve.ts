import { readFileSync, statSync } from 'node:fs';
import { isBuiltin } from 'node:module';
import { fileURLToPath, pathToFileURL } from 'node:url';
import type { TypeScriptSettings } from './tsconfig.ts';

/** How a module is loaded: by Node, or from its source by this tool. */
export interface Resolved {
  readonly url: string;
  readonly from: 'node' | 'source';
}

const isFile = (url: URL): boolean => statSync(fileURLToPath(url), { throwIfNoEntry: false })?.isFile() === true;

/** Extensions that others stand for: TypeScript is imported under the name of its compiled file, or without an extension. */
const replacements: readonly (readonly [RegExp, readonly string[]])[] = [
  [/\.js$/, ['.ts', '.tsx', '.jsx']],
  [/\.mjs$/, ['.mts']],
  [/\.jsx$/, ['.tsx']],
  [/(?<!\.[cm]?[jt]sx?|\.json)$/, ['.ts', '.tsx', '.mts', '.js', '.mjs', '.jsx', '/index.ts', '/index.tsx', '/index.js']],
];

function existing(url: URL): URL | undefined {
  if (isFile(url)) return url;
  for (const [ending, others] of replacements) {
    if (!ending.test(url.pathname)) continue;
    for (const other of others) {
      const candidate = new URL(url);
      candidate.pathname = url.pathname.replace(ending, other);
      if (isFile(candidate)) return candidate;
    }
  }
  return undefined;
}

const typescript = /\.(?:m?ts|[jt]sx)$/;
const esModule = /\.(?:mjs|js)$/;
const ownName = /^red-lattice(?:\/|$)/;
const libraryFolder = new URL('.', import.meta.url).href;

/** Finds a module in a package. Throws if it does not exist. */
type ResolvePackage = (specifier: string, parent: string) => string;

/** Resolves by the runtime, which accepts a parent only with a flag of a lane. */
const resolvePackageByRuntime: ResolvePackage = (specifier, parent) => (import.meta.resolve as ResolvePackage)(specifier, parent);

/** Resolves an import of `specifier` in `parent`, with the `paths` of its settings. If the module does not exist, throws the same error as Node. */
export function resolveModule(specifier: string, parent: string, settings?: TypeScriptSettings, resolvePackage = resolvePackageByRuntime): Resolved {
  if (isBuiltin(specifier)) return { url: specifier.startsWith('node:') ? specifier : `node:${specifier}`, from: 'node' };
  if (/^(?:\.{1,2}\/|\/|file:)/.test(specifier)) {
    const address = new URL(specifier, parent);
    const url = existing(address);
    if (!url) {
      throw Object.assign(new Error(`cannot find module "${specifier}" (tried ${fileURLToPath(address)})`), { code: 'ERR_MODULE_NOT_FOUND' });
    }
    return { url: url.href, from: isSource(url.href) ? 'source' : 'node' };
  }
  // A second copy of this package would not share state with the first, whatever `paths` says.
  for (const path of ownName.test(specifier) ? [] : (settings?.mapSpecifier(specifier) ?? [])) {
    const url = existing(pathToFileURL(path));
    if (url) return { url: url.href, from: isSource(url.href) ? 'source' : 'node' };
  }
  const url = resolvePackage(specifier, parent);
  // Node loads packages, except one that exports its TypeScript: a package of the same workspace.
  return { url, from: typescript.test(url) && url.startsWith('file:') ? 'source' : 'node' };
}

const isSource = (url: string): boolean => {
  const { pathname } = new URL(url);
  if (url.startsWith(libraryFolder) || pathname.includes('/node_modules/')) return false;
  return typescript.test(pathname) || esModule.test(pathname);
};

export const isTypeScript = (url: string): boolean => typescript.test(new URL(url).pathname);

/** Whether a `.js` file is CommonJS: its package does not declare ES modules, and the file contains neither imports nor exports. */
export function isCommonJs(url: string): boolean {
  if (!url.startsWith('file:') || !/\.js$/.test(url)) return false;
  for (let folder = new URL('.', url); ; folder = new URL('..', folder)) {
    const text = tryRead(new URL('package.json', folder));
    if (text !== undefined) return (JSON.parse(text) as { type?: string }).type !== 'module' && !/^\s*(?:import|export)\b/m.test(tryRead(new URL(url)) ?? '');
    if (folder.pathname === '/' || folder.href === new URL('..', folder).href) return false;
  }
}

function tryRead(url: URL): string | undefined {
  try {
    return readFileSync(url, 'utf8');
  } catch {
    return undefined;
  }
}
