import { parse } from '@babel/parser';
import { type CellChange, type Edited, type MadeChange, type Refusal, refuseChange, type Splice, splice } from './change.ts';

/** The parts of a syntax tree that are used. */
interface SyntaxNode {
  readonly type: string;
  readonly start: number;
  readonly end: number;
  readonly loc?: { readonly start: { readonly line: number; readonly column: number } } | null;
  readonly [part: string]: unknown;
}

/** Changes values of tables that are written in a test file, if they are plain literals. */
export function editTables(text: string, name: string, changes: readonly CellChange[]): Edited {
  const calls = findCalls(text, name, new Set(changes.map(({ line, column }) => `${line}:${column}`)));
  const splices: Splice[] = [];
  const made: MadeChange[] = [];
  const refused: Refusal[] = [];
  for (const change of changes) {
    const call = calls.get(`${change.line}:${change.column}`);
    const node = call && findValue(call, change.index ?? -1, change.heading);
    const after = node && isPlain(node) ? writeLiteral(change, text.slice(node.start, node.end)) : undefined;
    if (!node) refused.push(refuseChange(change, 'the rows are not written out at this place'));
    else if (after === undefined) refused.push(refuseChange(change, 'the value is not a plain literal; change it by hand'));
    else {
      splices.push({ start: node.start, end: node.end, text: after });
      made.push({ change: { ...change, line: node.loc?.start.line ?? change.line }, before: text.slice(node.start, node.end), after });
    }
  }
  return { content: splice(text, splices), made, refused };
}

/** Finds the calls at some locations, `line:column` from 1. */
function findCalls(text: string, name: string, places: ReadonlySet<string>): ReadonlyMap<string, SyntaxNode> {
  const types = /\.[cm]?ts$/.test(name) ? (['typescript'] as const) : /\.tsx$/.test(name) ? (['typescript', 'jsx'] as const) : (['jsx'] as const);
  const tree = parse(text, { sourceType: 'unambiguous', errorRecovery: true, plugins: [...types, 'decorators'] });
  const found = new Map<string, SyntaxNode>();
  const visit = (node: SyntaxNode): void => {
    const start = node.type === 'CallExpression' ? node.loc?.start : undefined;
    const place = start && `${start.line}:${start.column + 1}`;
    // Of calls that start at the same position, as in `table(…).filter(…)`, the innermost is the source.
    if (place !== undefined && places.has(place)) found.set(place, node);
    for (const part of Object.values(node)) for (const inner of Array.isArray(part) ? (part as readonly unknown[]) : [part]) if (isNode(inner)) visit(inner);
  };
  visit(tree.program as unknown as SyntaxNode);
  return found;
}

const isNode = (value: unknown): value is SyntaxNode => typeof value === 'object' && value !== null && typeof (value as SyntaxNode).type === 'string';

/** Finds the value of a column in a row: of lists with headings, of objects, of named objects, or of the values of one column. */
function findValue(call: SyntaxNode, index: number, column: string): SyntaxNode | undefined {
  const [first, second] = (call['arguments'] as readonly SyntaxNode[]).map(removeTypes);
  if (!first) return undefined;
  if (first.type === 'StringLiteral') return first['value'] === column && second ? getItems(second)?.[index] : undefined;
  const items = getItems(first);
  const isHeadings = second !== undefined && items?.every((item) => item.type === 'StringLiteral');
  if (isHeadings) {
    const at = items?.findIndex((item) => item['value'] === column) ?? -1;
    const row = getItems(second)?.[index];
    return row && at >= 0 ? getItems(row)?.[at] : undefined;
  }
  const row = first.type === 'ObjectExpression' ? getProperties(first)?.[index]?.value : items?.[index];
  return row && getProperties(row)?.find(({ name }) => name === column)?.value;
}

/** The items of a list. Undefined if some are spread or omitted. */
function getItems(list: SyntaxNode): readonly SyntaxNode[] | undefined {
  if (list.type !== 'ArrayExpression') return undefined;
  const items = list['elements'] as readonly (SyntaxNode | null)[];
  return items.some((item) => item === null || item.type === 'SpreadElement') ? undefined : items.map((item) => removeTypes(item as SyntaxNode));
}

/** The properties of an object by name. Undefined if some are spread, computed or methods. */
function getProperties(object: SyntaxNode): readonly { readonly name: string; readonly value: SyntaxNode }[] | undefined {
  if (object.type !== 'ObjectExpression') return undefined;
  const properties = object['properties'] as readonly SyntaxNode[];
  if (properties.some(({ type, ...rest }) => type !== 'ObjectProperty' || rest['computed'] === true || rest['shorthand'] === true)) return undefined;
  return properties.map((property) => {
    const key = property['key'] as SyntaxNode;
    return { name: String(key['name'] ?? key['value']), value: removeTypes(property['value'] as SyntaxNode) };
  });
}

/** Removes type syntax such as `as const`. */
function removeTypes(node: SyntaxNode): SyntaxNode {
  let inner = node;
  while (['TSAsExpression', 'TSSatisfiesExpression', 'TSNonNullExpression', 'ParenthesizedExpression'].includes(inner.type))
    inner = inner['expression'] as SyntaxNode;
  return inner;
}

const plainTypes: ReadonlySet<string> = new Set(['NumericLiteral', 'StringLiteral', 'BooleanLiteral', 'NullLiteral']);

/** Whether a value is a literal, or a list or an object of literals. */
function isPlain(node: SyntaxNode): boolean {
  if (plainTypes.has(node.type) || (node.type === 'Identifier' && node['name'] === 'undefined')) return true;
  if (node.type === 'UnaryExpression') return node['operator'] === '-' && (node['argument'] as SyntaxNode).type === 'NumericLiteral';
  if (node.type === 'TemplateLiteral') return (node['expressions'] as readonly unknown[]).length === 0;
  return getItems(node)?.every(isPlain) ?? getProperties(node)?.every(({ value }) => isPlain(value)) ?? false;
}

/** Writes the value as source text. A string keeps the kind of quotes. */
function writeLiteral({ value, text }: CellChange, before: string): string | undefined {
  if (value === undefined) return text === '' ? 'undefined' : undefined;
  if (typeof value !== 'string') return JSON.stringify(value);
  const quoted = JSON.stringify(value);
  if (before.startsWith('`')) return `\`${value.replace(/[\\`]|\$\{/g, '\\$&')}\``;
  return before.startsWith("'") || !before.startsWith('"') ? `'${quoted.slice(1, -1).replaceAll('\\"', '"').replaceAll("'", "\\'")}'` : quoted;
}
