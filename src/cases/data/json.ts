import type { JSONVisitor } from 'jsonc-parser';
import type { Place } from '../../problems/place.ts';
import { refuse } from '../../problems/problem.ts';
import type { Found, Path } from './items.ts';
import { faultOf, strictly, tooDeep, visited } from './json-faults.ts';

/**
 * Reads a JSON document: its list of rows at the top, or under a path.
 *
 * The runtime reads the values; where each stands is found beside that, and where a single cell does when a message needs it.
 */
export async function readJson(text: string, file: string, path: Path): Promise<Found> {
  let document: unknown;
  try {
    document = JSON.parse(text);
  } catch {
    const { reason, line, column } = await faultOf(text);
    return refuse({ code: 'broken-document', reason, at: { file, line, column } });
  }
  const { findNodeAtLocation, parseTree } = await import('jsonc-parser');
  const begins = await beginsIn(text, file, path);
  /** Where something stands within a part of the text, or what is around it. */
  const within = ({ offset, place }: Begin, end: number | undefined, wanted: Path): Place => {
    const part = text.slice(offset, end);
    const tree = parseTree(part, [], strictly);
    for (let length = wanted.length; tree && length > 0; length--) {
      const node = findNodeAtLocation(tree, wanted.slice(0, length));
      if (node) return placeBehind(place, part.slice(0, node.offset));
    }
    return place;
  };
  return {
    document,
    placeOf(item, key) {
      const begin = begins[item];
      if (!begin) return within({ offset: 0, place: { file, line: 1, column: 1 } }, undefined, path);
      return key === undefined ? begin.place : within(begin, begins[item + 1]?.offset, [key]);
    },
  };
}

/** Where something begins. */
interface Begin {
  readonly place: Place;
  readonly offset: number;
}

/** The place behind a text that begins at a place. */
function placeBehind({ file, line, column }: Place, text: string): Place {
  const lastBreak = text.lastIndexOf('\n');
  if (lastBreak < 0) return { file, line, column: column + text.length };
  return { file, line: line + text.split('\n').length - 1, column: text.length - lastBreak };
}

/** Where the items of a list begin. Refuses an object with the same key twice: which value is meant? */
async function beginsIn(text: string, file: string, path: Path): Promise<readonly Begin[]> {
  const { visit } = await import('jsonc-parser');
  const found: Begin[] = [];
  /** The keys of each object that is open; none for a list. */
  const open: (Set<string> | undefined)[] = [];
  const begins = (offset: number, line: number, character: number, pathOf: () => readonly (string | number)[]): void => {
    if (open.length !== path.length + 1 || open.at(-1) !== undefined) return;
    const at = pathOf();
    if (path.every((key, i) => String(key) === String(at[i]))) found.push({ place: { file, line: line + 1, column: character + 1 }, offset });
  };
  const visitor: JSONVisitor = {
    onObjectBegin(offset, _length, line, character, pathOf) {
      begins(offset, line, character, pathOf);
      open.push(new Set());
    },
    onArrayBegin(offset, _length, line, character, pathOf) {
      begins(offset, line, character, pathOf);
      open.push(undefined);
    },
    onObjectEnd: () => void open.pop(),
    onArrayEnd: () => void open.pop(),
    onLiteralValue: (_value, offset, _length, line, character, pathOf) => begins(offset, line, character, pathOf),
    onObjectProperty(key, _offset, _length, line, character) {
      const keys = open.at(-1) as Set<string>;
      if (keys.has(key)) refuse({ code: 'repeated-key', key, at: { file, line: line + 1, column: character + 1 } });
      keys.add(key);
    },
  };
  if (!visited(() => visit(text, visitor, strictly))) refuse({ code: 'broken-document', reason: tooDeep, at: { file, line: 1, column: 1 } });
  return found;
}
