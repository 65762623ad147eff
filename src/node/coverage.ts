import { existsSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { CompileCache } from './loading/cache.ts';
import { isTypeScript } from './loading/resolve.ts';

/** Where the runtime writes what each process ran of which source, if it is asked to. */
export const coverageFolder = (): string | undefined => process.env['NODE_V8_COVERAGE'] || undefined;

/** What the runtime writes of one process. */
interface Coverage {
  readonly result: readonly { readonly url: string }[];
  readonly 'source-map-cache'?: Readonly<Record<string, unknown>>;
}

/**
 * Adds the maps of compiled sources to what the runtime wrote of a process that has ended, as it does itself for modules that it loads:
 * places in it are those of the compiled code, and whoever makes a report of it looks for their sources there.
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
    replaceFile(path, JSON.stringify(whole));
  }
}

/** None where the runtime could write nothing either, of which it has told; and where a process was killed, there may be nothing, or a part. */
function listNames(folder: string): readonly string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}

/** Does not affect the outcome of a run: a file that cannot be written is reported and stays unchanged. */
function replaceFile(path: string, text: string): void {
  const beside = `${path}.new`;
  try {
    writeFileSync(beside, text);
    renameSync(beside, path);
  } catch (error) {
    rmSync(beside, { force: true });
    process.emitWarning(`coverage has no source maps: ${(error as Error).message}`);
  }
}

/** As the runtime has it: the map, with absolute names of sources, and how long the lines of the compiled code are. */
function findSourceMap(url: string, cache: CompileCache): { lineLengths: number[]; data: object; url: null } | undefined {
  if (!url.startsWith('file:') || !isTypeScript(url)) return undefined;
  const path = fileURLToPath(url);
  // The source may have been taken away since.
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
