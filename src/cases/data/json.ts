import type { JSONVisitor } from 'jsonc-parser';
import { throwProblem } from '../../problems/problem-error.ts';
import { advanceLocation, type SourceLocation } from '../../problems/source-location.ts';
import { countLines, type ParsedDocument, type Path } from './items.ts';
import { findSyntaxError, STRICT_JSON, tooDeep, visitSafely } from './json-faults.ts';

/**
 * Reads a JSON document: its list of rows at the top, or under a path.
 *
 * The runtime parses the values. The locations of items are found separately, and those of single cells when a message needs them.
 */
export async function readJson(text: string, file: string, path: Path): Promise<ParsedDocument> {
  let document: unknown;
  try {
    document = JSON.parse(text);
  } catch {
    const { reason, line, column } = await findSyntaxError(text);
    return throwProblem({ code: 'parse-error', reason, at: { file, line, column } });
  }
  const { findNodeAtLocation, parseTree } = await import('jsonc-parser');
  const begins = await findItemStarts(text, file, path);
  /** The location of the value at a path within a part of the text, or of its nearest ancestor. */
  const locatePath = ({ offset, location }: Pick<ItemStart, 'offset' | 'location'>, end: number | undefined, valuePath: Path): SourceLocation => {
    const part = text.slice(offset, end);
    const tree = parseTree(part, [], STRICT_JSON);
    for (let length = valuePath.length; tree && length > 0; length--) {
      const node = findNodeAtLocation(tree, valuePath.slice(0, length));
      if (node) return advanceLocation(location, part.slice(0, node.offset));
    }
    return location;
  };
  return {
    document,
    placeOf(item, key) {
      const begin = begins[item];
      if (!begin) return locatePath({ offset: 0, location: { file, line: 1, column: 1 } }, undefined, path);
      return key === undefined ? begin.location : locatePath(begin, begins[item + 1]?.offset, [key]);
    },
    linesOf(item) {
      const { location, lastLine } = begins[item] as ItemStart;
      return countLines(location.line, lastLine);
    },
  };
}

/** The start of an item. */
interface ItemStart {
  readonly location: SourceLocation;
  readonly offset: number;
  /** The line on which it ends. */
  lastLine: number;
}

/** Finds the start of each item of a list. Throws for an object with a duplicate key, since its intended value is unclear. */
async function findItemStarts(text: string, file: string, path: Path): Promise<readonly ItemStart[]> {
  const { visit } = await import('jsonc-parser');
  const found: ItemStart[] = [];
  /** The open objects and lists: the keys of each object so far, and the item, if it is one. */
  const open: { readonly keys: Set<string> | undefined; readonly item: ItemStart | undefined }[] = [];
  const itemAt = (offset: number, line: number, character: number, pathOf: () => readonly (string | number)[]): ItemStart | undefined => {
    if (open.length !== path.length + 1 || open.at(-1)?.keys) return undefined;
    const at = pathOf();
    if (!path.every((key, i) => String(key) === String(at[i]))) return undefined;
    const item = { location: { file, line: line + 1, column: character + 1 }, offset, lastLine: line + 1 };
    found.push(item);
    return item;
  };
  const close = (line: number): void => {
    const { item } = open.pop() as (typeof open)[number];
    if (item) item.lastLine = line + 1;
  };
  const visitor: JSONVisitor = {
    onObjectBegin: (offset, _length, line, character, pathOf) => void open.push({ item: itemAt(offset, line, character, pathOf), keys: new Set() }),
    onArrayBegin: (offset, _length, line, character, pathOf) => void open.push({ item: itemAt(offset, line, character, pathOf), keys: undefined }),
    onObjectEnd: (_offset, _length, line) => close(line),
    onArrayEnd: (_offset, _length, line) => close(line),
    onLiteralValue: (_value, offset, _length, line, character, pathOf) => void itemAt(offset, line, character, pathOf),
    onObjectProperty(key, _offset, _length, line, character) {
      const keys = open.at(-1)?.keys as Set<string>;
      if (keys.has(key)) throwProblem({ code: 'duplicate-key', key, at: { file, line: line + 1, column: character + 1 } });
      keys.add(key);
    },
  };
  if (!visitSafely(() => visit(text, visitor, STRICT_JSON))) throwProblem({ code: 'parse-error', reason: tooDeep, at: { file, line: 1, column: 1 } });
  return found;
}
