import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { isInstanceOf } from '../../problems/instance-of.ts';
import type { SourceLocation } from '../../problems/source-location.ts';

const places = new WeakMap<object, SourceLocation>();

/** Stores the location of an error. */
export const notePlace = (error: object, place: SourceLocation): void => void places.set(error, place);

/** Stores the location of a failed import for its error, unless a better one is known. */
export function noteImport(error: unknown, url: string, specifier: string): void {
  if (typeof error !== 'object' || error === null || places.has(error)) return;
  const place = findSpecifier(url, specifier);
  if (place) places.set(error, place);
}

/** The location of the import that failed, also for a missing export. `loading` is the URL of the loaded file. */
export function findPlaceOfImport(error: unknown, loading: string): SourceLocation | undefined {
  if (typeof error !== 'object' || error === null) return undefined;
  const noteOf = places.get(error);
  if (noteOf) return noteOf;
  const { message, stack } = error as { message?: unknown; stack?: unknown };
  const [, specifier, name] = /^The requested module '(.+?)' does not provide an export named '(.+?)'/.exec(String(message)) ?? [];
  const [, url] = /^(file:\S+?):\d+\n/.exec(String(stack)) ?? [];
  return specifier === undefined ? undefined : findSpecifier(url ?? loading, specifier, name);
}

/** Stores the location of a syntax error, unless it is known. The runtime does not report it, so another parser finds it. */
export async function noteSyntaxError(error: unknown, url: string, source: string): Promise<void> {
  if (!isInstanceOf(error, SyntaxError) || places.has(error)) return;
  const { parse } = await import('@babel/parser');
  try {
    parse(source, { sourceType: 'module', allowReturnOutsideFunction: false });
  } catch (fault) {
    const { loc } = fault as { loc?: { line: number; column: number } };
    if (loc) places.set(error, { file: url, line: loc.line, column: loc.column + 1 });
  }
}

/** The location of a module specifier in a source, or of a name that it imports. */
function findSpecifier(url: string, specifier: string, name?: string): SourceLocation | undefined {
  let source: string;
  try {
    source = readFileSync(fileURLToPath(url), 'utf8');
  } catch {
    return undefined;
  }
  let before: string | undefined;
  // A source can import a module several times: find the import of the name.
  for (const { index } of source.matchAll(new RegExp(`(['"\`])${escaped(specifier)}\\1`, 'g'))) {
    const at = name === undefined ? index : findName(source, index, name);
    if (at === undefined) continue;
    before = source.slice(0, at);
    break;
  }
  if (before === undefined) return undefined;
  const lines = before.split('\n');
  return { file: url, line: lines.length, column: (lines.at(-1) ?? '').length + 1 };
}

/** The position of a name in the import, or export, whose specifier is at an index. */
function findName(source: string, index: number, name: string): number | undefined {
  const from = lastMatch(source.slice(0, index), /\b(?:import|export)\b/g) ?? 0;
  const at = lastMatch(source.slice(from, index), new RegExp(`\\b${escaped(name)}\\b`, 'g'));
  return at === undefined ? undefined : from + at;
}

const lastMatch = (text: string, pattern: RegExp): number | undefined => [...text.matchAll(pattern)].at(-1)?.index;

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
