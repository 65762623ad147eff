import { pathToFileURL } from 'node:url';

/** Replaces the project's folder of one machine by that of another. */
export interface RootReplacer {
  /** In a text of JSON. */
  text(json: string): string;
  /** In a value that JSON can represent. */
  value<T>(value: T): T;
}

/**
 * Creates a replacer for a folder. It replaces the folder at the beginning of a path or of a file URL, and as a whole path, and leaves
 * everything else as it is.
 */
export function createRootReplacer(from: string, to: string): RootReplacer {
  if (from === to) return { text: (json) => json, value: (value) => value };
  const inJson = (text: string): string => JSON.stringify(text).slice(1, -1);
  const pairs = new Map([
    [pathToFileURL(from).pathname, pathToFileURL(to).pathname],
    [inJson(from), inJson(to)],
  ]);
  const escaped = [...pairs.keys()].map((text) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'));
  const pattern = new RegExp(`(?<=["(\\s]|file://)(${escaped.join('|')})(?=[/\\\\":)\\s]|$)`, 'g');
  const text = (json: string): string => json.replace(pattern, (found) => pairs.get(found) as string);
  return { text, value: (value) => JSON.parse(text(JSON.stringify(value))) };
}
