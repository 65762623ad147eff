import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { CompileCache } from './loading/cache.ts';
import { isTypeScript } from './loading/resolve.ts';
import { replaceFile } from './write-file.ts';

/** The folder in which the runtime writes coverage, if it is enabled. */
export const coverageFolder = (): string | undefined => process.env['NODE_V8_COVERAGE'] || undefined;

/** The coverage of one process. */
interface Coverage {
  readonly result: readonly { readonly url: string }[];
  readonly 'source-map-cache'?: Readonly<Record<string, unknown>>;
}

/**
 * Adds the source maps of compiled code to the coverage of a process that has ended, as the runtime does for the modules that it loads
 * itself. Report tools find the sources by them.
 */
export function addSourceMaps(folder: string, pid: number, cacheFolder: string): void {
  const cache = new CompileCache(cacheFolder);
  for (const name of listNames(folder)) {
    if (!name.startsWith(`coverage-${pid}-`)) continue;
    const path = join(folder, name);
    const coverage = readJson(path) as Coverage | undefined;
    if (!coverage) continue;
    const maps = coverage.result.flatMap(({ url }) => {
      const map = findSourceMap(url, cache);
      return map ? [[url, map] as const] : [];
    });
    if (maps.length === 0) continue;
    const whole = { ...coverage, 'source-map-cache': { ...coverage['source-map-cache'], ...Object.fromEntries(maps) } };
    writeCoverage(path, JSON.stringify(whole));
  }
}

/** Empty if the runtime could not write, which it has reported. After a kill, coverage can be missing or incomplete. */
function listNames(folder: string): readonly string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}

/** Does not affect the outcome of a run: a file that cannot be written is reported and stays unchanged. */
function writeCoverage(path: string, text: string): void {
  try {
    replaceFile(path, text);
  } catch (error) {
    process.emitWarning(`coverage has no source maps: ${(error as Error).message}`);
  }
}

/** A source map in the format of the runtime: the map with absolute source names, and the line lengths of the compiled code. */
function findSourceMap(url: string, cache: CompileCache): { lineLengths: number[]; data: object; url: null } | undefined {
  if (!url.startsWith('file:') || !isTypeScript(url)) return undefined;
  const path = fileURLToPath(url);
  // The source can have been removed since.
  const compiled = existsSync(path) ? cache.read(cache.key(path, readFileSync(path, 'utf8'))) : undefined;
  const map = compiled && (readJson(compiled.map) as object | undefined);
  return map && { lineLengths: compiled.code.split('\n').map(({ length }) => length), data: { ...map, sources: [url] }, url: null };
}

function readJson(path: string): unknown {
  try {
    return JSON.parse(readFileSync(path, 'utf8'));
  } catch {
    return undefined;
  }
}
