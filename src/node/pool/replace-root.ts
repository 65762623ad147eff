import { pathToFileURL } from 'node:url';

/**
 * Replaces the project's folder of one machine by that of another in a text of JSON: as the beginning of a path or of a file URL, or
 * alone. All else is left as it is.
 */
export function rootReplacer(from: string, to: string): (json: string) => string {
  if (from === to) return (json) => json;
  const inJson = (text: string): string => JSON.stringify(text).slice(1, -1);
  const pairs = new Map([
    [pathToFileURL(from).pathname, pathToFileURL(to).pathname],
    [inJson(from), inJson(to)],
  ]);
  const escaped = [...pairs.keys()].map((text) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'));
  const pattern = new RegExp(`(?<=["(\\s]|file://)(${escaped.join('|')})(?=[/\\\\":)\\s]|$)`, 'g');
  return (json) => json.replace(pattern, (found) => pairs.get(found) as string);
}
