import { findNodeAtOffset, type Node, parseTree } from 'jsonc-parser';
import { type CellChange, type Edited, keepDecimals, type MadeChange, type Refusal, refuseChange, type Splice, splice } from './change.ts';

/** Changes values in a JSON document. Everything else stays as it is. */
export function editJson(text: string, changes: readonly CellChange[]): Edited {
  const tree = parseTree(text);
  const lines = findLineStarts(text);
  return editItems(text, changes, ({ line, column }) => {
    const offset = (lines[line - 1] ?? -1) + column - 1;
    const found = tree && offset >= 0 ? findNodeAtOffset(tree, offset) : undefined;
    return found?.offset === offset ? { item: found, start: 0 } : undefined;
  });
}

/** Changes values in JSON Lines: each line is an object. */
export function editJsonLines(text: string, changes: readonly CellChange[]): Edited {
  const lines = findLineStarts(text);
  let parsed: { readonly line: number; readonly item: Node | undefined; readonly start: number } | undefined;
  return editItems(text, changes, ({ line }) => {
    const start = lines[line - 1];
    if (start === undefined) return undefined;
    if (parsed?.line !== line) parsed = { line, item: parseTree(text.slice(start, lines[line])), start };
    return parsed.item && { item: parsed.item, start };
  });
}

/** Where each line starts. */
function findLineStarts(text: string): number[] {
  const starts = [text.startsWith('\uFEFF') ? 1 : 0];
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) starts.push(at + 1);
  return starts;
}

/** An object in a document. `start` is added to its offsets. */
interface Item {
  readonly item: Node;
  readonly start: number;
}

function editItems(text: string, changes: readonly CellChange[], findItem: (change: CellChange) => Item | undefined): Edited {
  const splices: Splice[] = [];
  const made: MadeChange[] = [];
  const refused: Refusal[] = [];
  for (const change of changes) {
    const found = findItem(change);
    if (found?.item.type !== 'object') {
      refused.push(refuseChange(change, 'found no object at this place'));
      continue;
    }
    const { item, start } = found;
    const properties = item.children ?? [];
    const property = properties.find(({ children }) => children?.[0]?.value === change.heading);
    const old = property?.children?.[1];
    const before = old ? text.slice(start + old.offset, start + old.offset + old.length) : '';
    const after = toJsonText(change, old, before);
    if (after === undefined) refused.push(refuseChange(change, 'the value cannot be written as JSON'));
    else {
      splices.push(
        old ? { start: start + old.offset, end: start + old.offset + old.length, text: after } : addProperty(text, item, start, change.heading, after),
      );
      made.push({ change, before, after });
    }
  }
  return { content: splice(text, mergeInsertions(splices)), made, refused };
}

/** Formats a value as JSON: as a string if the old value of another type was a string, and with line breaks if the old value had some. */
function toJsonText({ text, value }: CellChange, old: Node | undefined, before: string): string | undefined {
  const isText = old?.type === 'string' && typeof value !== 'string' && text !== undefined;
  const written = isText || value === undefined ? text : value;
  if (written === undefined || (value === undefined && text === '')) return undefined;
  const isFolded = typeof written === 'object' && /^[[{]\s*\n/.test(before);
  if (typeof written === 'number') return keepDecimals(JSON.stringify(written), before);
  if (!isFolded) return JSON.stringify(isText ? keepDecimals(text, String(old?.value)) : written);
  const [, indent = '  '] = /\n([ \t]+)/.exec(before) ?? [];
  const [, closing = ''] = /\n([ \t]*)[\]}]$/.exec(before) ?? [];
  const lineEnd = before.includes('\r\n') ? '\r\n' : '\n';
  return JSON.stringify(written, null, indent.slice(closing.length) || '  ').replaceAll('\n', `${lineEnd}${closing}`);
}

/** Adds a property after the last one of an object, with the same blanks before its name and its value. */
function addProperty(text: string, item: Node, start: number, heading: string, value: string): Splice {
  const last = item.children?.at(-1);
  if (!last) return { start: start + item.offset + 1, end: start + item.offset + 1, text: `${JSON.stringify(heading)}: ${value}` };
  const [name, lastValue] = last.children as [Node, Node | undefined];
  const previousEnd = item.children?.at(-2);
  const from = previousEnd ? previousEnd.offset + previousEnd.length : item.offset;
  const lead = text.slice(start + from, start + last.offset).replace(/^[\s\S]*[,{]/, '');
  const between = lastValue ? text.slice(start + name.offset + name.length, start + lastValue.offset) : ': ';
  const end = start + last.offset + last.length;
  return { start: end, end, text: `,${lead}${JSON.stringify(heading)}${between}${value}` };
}

/** Merges insertions at the same position, in order. */
function mergeInsertions(splices: readonly Splice[]): Splice[] {
  const merged = new Map<string, Splice>();
  for (const one of splices) {
    const key = `${one.start}:${one.end}`;
    const known = merged.get(key);
    merged.set(key, known ? { ...one, text: known.text + (known.text.startsWith(',') || !one.text ? '' : ', ') + one.text } : one);
  }
  return [...merged.values()];
}
