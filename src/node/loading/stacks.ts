import { readFileSync } from 'node:fs';
import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping';

const readText = readFileSync;
const parseJson = JSON.parse;

/**
 * Maps stacks to the lines of the sources, for every error in the process. Source maps are read on demand. A later Error.prepareStackTrace
 * replaces this one.
 */
export function mapStacks(maps: ReadonlyMap<string, string>): void {
  const read = new Map<string, TraceMap | undefined>();
  /** If another run has removed the map from the cache, stacks show the compiled lines. */
  const mapOf = (url: string, file: string): TraceMap | undefined => {
    if (!read.has(url)) {
      try {
        read.set(url, new TraceMap(parseJson(readText(file, 'utf8')) as never));
      } catch {
        read.set(url, undefined);
      }
    }
    return read.get(url);
  };
  const original = (url: string, line: number, column: number): string | undefined => {
    const file = maps.get(url);
    if (file === undefined) return undefined;
    const map = mapOf(url, file);
    if (!map) return undefined;
    const position = originalPositionFor(map, { line, column: column - 1 });
    return position.line === null ? undefined : `${url}:${position.line}:${position.column + 1}`;
  };
  const formatFrame = (frame: NodeJS.CallSite): string => {
    const text = String(frame);
    const [url, line, column] = [frame.getFileName() ?? '', frame.getLineNumber() ?? 0, frame.getColumnNumber() ?? 0];
    const mapped = original(url, line, column);
    return mapped === undefined ? text : text.replace(`${url}:${line}:${column}`, () => mapped);
  };
  Error.prepareStackTrace = (error, frames) => {
    const head = findHead(error);
    return frames.length ? `${head}\n${frames.map((frame) => `    at ${formatFrame(frame)}`).join('\n')}` : head;
  };
}

function findHead(error: unknown): string {
  try {
    return Error.prototype.toString.call(error);
  } catch {
    return 'Error';
  }
}
