import { isDeepStrictEqual } from 'node:util';
import { type Document, isAlias, isCollection, isMap, isScalar, LineCounter, parse, parseDocument, type Scalar, visit, type YAMLMap } from 'yaml';
import { type CellChange, type Edited, keepDecimals, type MadeChange, type Refusal, refuseChange, type Splice, splice } from './change.ts';

interface Edit extends Splice {
  readonly change: CellChange;
  readonly map: YAMLMap;
  readonly value: unknown;
  /** The text of the value, if the inserted text also contains a key. */
  readonly written?: string;
}

/**
 * Changes values in a YAML document, and adds missing keys. Everything else stays as it is. Values with anchors, aliases or tags are
 * refused. The result is parsed again: a change that would be read as another value is refused.
 */
export function editYaml(text: string, changes: readonly CellChange[]): Edited {
  const { document, maps } = readMaps(text);
  const refused: Refusal[] = [];
  const edits: Edit[] = [];
  for (const change of changes) {
    const map = maps.get(`${change.line}:${change.column}`);
    const edit = map ? editValue(text, map, change) : 'found no mapping at this place';
    if (typeof edit === 'string') refused.push(refuseChange(change, edit));
    else edits.push(edit);
  }
  if (readsAs(splice(text, edits), document, edits)) return { content: splice(text, edits), made: edits.map((edit) => describeEdit(text, edit)), refused };
  // At least one of them fails, so that each is tried alone.
  const right: Edit[] = [];
  for (const edit of edits) {
    const alone = readMaps(text);
    const map = alone.maps.get(`${edit.change.line}:${edit.change.column}`) as YAMLMap;
    if (readsAs(splice(text, [edit]), alone.document, [{ ...edit, map }])) right.push(edit);
    else refused.push(refuseChange(edit.change, 'the value would be read as another one in this place'));
  }
  return { content: splice(text, right), made: right.map((edit) => describeEdit(text, edit)), refused };
}

function describeEdit(text: string, { start, end, text: after, change, written = after }: Edit): MadeChange {
  return { change, before: text.slice(start, end).trim(), after: written.trim() };
}

/** The mappings of a document by start position. Of two at the same position, the outer one. */
function readMaps(text: string): { readonly document: Document; readonly maps: ReadonlyMap<string, YAMLMap> } {
  const lines = new LineCounter();
  const document: Document = parseDocument(text, { lineCounter: lines });
  const maps = new Map<string, YAMLMap>();
  visit(document, {
    Map(_, map) {
      const { line, col } = lines.linePos(map.range?.[0] ?? 0);
      if (!maps.has(`${line}:${col}`)) maps.set(`${line}:${col}`, map);
    },
  });
  return { document, maps };
}

/** Whether a text has the values of a document with the changes. Changes the document. */
function readsAs(text: string, document: Document, edits: readonly Edit[]): boolean {
  for (const { map, change, value } of edits) map.set(change.heading, value);
  try {
    return isDeepStrictEqual(parse(text), document.toJS());
  } catch {
    return false;
  }
}

/** The part of the text that a change replaces, or the reason why it cannot be changed. */
function editValue(text: string, map: YAMLMap, change: CellChange): Edit | string {
  const { heading } = change;
  const pair = map.items.find(({ key }) => isScalar(key) && String(key.value) === heading);
  if (!pair) return addPair(text, map, change);
  const old = pair.value;
  if (isAlias(old)) return 'the value is an alias';
  if (isCollection(old) && !old.flow) return `the value is ${isMap(old) ? 'a mapping' : 'a list'} on several lines; change it by hand`;
  const node = old as (Scalar & { anchor?: string }) | null;
  if (node?.anchor !== undefined) return 'the value has an anchor';
  if (node?.tag !== undefined) return 'the value has a tag';
  const isText = typeof (node as Scalar | null)?.value === 'string' && typeof change.value !== 'string' && change.text !== undefined;
  const value = isText ? keepDecimals(change.text as string, String((node as Scalar).value)) : change.value === undefined ? change.text : change.value;
  if (value === undefined || (change.value === undefined && change.text === '')) return 'the computed value is undefined';
  const [start, end] = node?.range ?? [0, 0];
  if (!node || start === end) {
    // `due:` without a value: the value is inserted after the colon.
    const colon = text.indexOf(':', (pair.key as Scalar).range?.[1] ?? 0) + 1;
    return { start: colon, end: colon, text: ` ${writeScalar(value, undefined)}`, map, change, value };
  }
  if (node.type === 'BLOCK_LITERAL' || node.type === 'BLOCK_FOLDED') return { start, end, text: writeBlock(text.slice(start, end), value), map, change, value };
  return {
    start,
    end,
    text: isCollection(old) ? JSON.stringify(value) : keepDecimals(writeScalar(value, node.type), text.slice(start, end)),
    map,
    change,
    value,
  };
}

/** Adds a key with its value: after the last one of the mapping, or before the first one if the last value takes several lines. */
function addPair(text: string, map: YAMLMap, change: CellChange): Edit | string {
  const value = change.value === undefined ? change.text : change.value;
  if (value === undefined || (change.value === undefined && value === '')) return 'the computed value is undefined';
  const written = writeScalar(value, undefined);
  const pair = `${writeScalar(change.heading, undefined)}: ${written}`;
  const insert = (at: number, added: string): Edit => ({ start: at, end: at, text: added, map, change, value, written });
  const [begin] = map.range ?? [0];
  const last = map.items.at(-1);
  const lastNode = (last?.value ?? last?.key) as Scalar | null | undefined;
  const end = lastNode?.range?.[1] ?? begin;
  if (map.flow) return last ? insert(end, `, ${pair}`) : insert(begin + 1, pair);
  const lineEnd = text.includes('\r\n') ? '\r\n' : '\n';
  const indent = ' '.repeat(begin - text.lastIndexOf('\n', begin - 1) - 1);
  // After a value that ends in its line, and its comment.
  const [, rest] = /^([ \t]*(?:#[^\r\n]*)?)(?:\r?\n|$)/.exec(text.slice(end)) ?? [];
  const isOnOneLine = last?.value !== null && rest !== undefined && !text.slice(begin, end).endsWith('\n');
  return isOnOneLine ? insert(end + rest.length, `${lineEnd}${indent}${pair}`) : insert(begin, `${pair}${lineEnd}${indent}`);
}

/** Texts that need no quotes: they have no other meaning in block and flow style. */
const plainText = /^[\p{L}_](?:[\p{L}\p{N} _./()+%€$-]*[\p{L}\p{N}_)%€$])?$/u;
const otherThanText = /^(?:true|false|yes|no|on|off|null|y|n)$/i;

function writeScalar(value: unknown, style: Scalar['type'] | undefined): string {
  if (typeof value !== 'string') return JSON.stringify(value);
  if (style === 'QUOTE_SINGLE' && !/[\n\r\p{Cc}]/u.test(value)) return `'${value.replaceAll("'", "''")}'`;
  return style !== 'QUOTE_DOUBLE' && plainText.test(value) && !otherThanText.test(value) ? value : JSON.stringify(value);
}

/** Writes a string as a literal block with the indentation of the old block, and any other value as JSON. */
function writeBlock(old: string, value: unknown): string {
  const [first = ''] = old.split('\n', 1);
  const lineEnd = first.endsWith('\r') ? '\r\n' : '\n';
  const indent = /\n([ \t]+)\S/.exec(old)?.[1] ?? '  ';
  if (typeof value !== 'string' || value === '' || /^\s/.test(value)) return `${JSON.stringify(value)}${lineEnd}`;
  const [, body = '', breaks = ''] = /^(.*?)(\n*)$/s.exec(value) ?? [];
  const chomping = breaks === '' ? '-' : breaks === '\n' ? '' : '+';
  const comment = /#[^\r]*/.exec(first)?.[0].trim();
  const lines = [...body.split('\n'), ...breaks.slice(1).split('\n').slice(1)].map((line) => (line === '' ? '' : indent + line));
  return [`|${chomping}${comment ? ` ${comment}` : ''}`, ...lines, ''].join(lineEnd);
}
