import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { RowLines, RowPlace } from '../../cases/row.ts';
import { findLocation } from '../../problems/source-location.ts';
import type { Target } from '../../suites/selection.ts';

/** The parts of a syntax tree that are used. */
interface SyntaxNode {
  readonly type: string;
  readonly loc?: { readonly start: Place; readonly end: Place } | null;
  readonly [part: string]: unknown;
}
interface Place {
  readonly line: number;
  /** Counted from 0. */
  readonly column: number;
}

/** The argument that contains the rows, by the name of the function. */
const rowsArgument = new Map([
  ['table', 1],
  ['values', 1],
  ['rows', 0],
  ['namedRows', 0],
]);

/** What a file imports from this package. */
interface Imports {
  /** The functions that take rows, by their local names. */
  readonly functions: Map<string, string>;
  readonly namespaces: Set<string>;
}

/**
 * Finds the lines of rows in test files, so that a line selects its row. Undefined if no line of a test file was requested, since loading
 * the parser takes time.
 */
export async function findRowLines(targets: readonly Target[], testFiles: ReadonlySet<string>): Promise<RowLines | undefined> {
  const files = new Set(targets.filter(({ url, line }) => line !== undefined && testFiles.has(url)).map(({ url }) => url));
  if (files.size === 0) return undefined;
  const { parse } = await import('@babel/parser');
  const calls = new Map<string, readonly RowPlace[]>();
  for (const url of files) {
    try {
      const plugins = /\.m?ts$/.test(url) ? (['typescript'] as const) : /\.tsx$/.test(url) ? (['typescript', 'jsx'] as const) : (['jsx'] as const);
      const tree = parse(readFileSync(fileURLToPath(url), 'utf8'), { sourceType: 'module', errorRecovery: true, plugins: [...plugins, 'decorators'] });
      const program = tree.program as unknown as SyntaxNode;
      collect(program, importsOf(program), url, calls);
    } catch {
      // An error in the file is reported when it is loaded.
    }
  }
  const all = [...calls.values()].flat();
  return {
    of(origin) {
      const place = findLocation(origin);
      return place && calls.get(`${place.file}:${place.line}:${place.column}`);
    },
    has: (url, line) => all.some(({ location, lines }) => location.file === url && location.line <= line && line < location.line + lines),
  };
}

function importsOf(program: SyntaxNode): Imports {
  const imports: Imports = { functions: new Map(), namespaces: new Set() };
  for (const statement of program['body'] as readonly SyntaxNode[]) {
    if (statement.type !== 'ImportDeclaration' || (statement['source'] as SyntaxNode)['value'] !== 'red-lattice') continue;
    for (const specifier of statement['specifiers'] as readonly SyntaxNode[]) {
      const local = String((specifier['local'] as SyntaxNode)['name']);
      if (specifier.type === 'ImportNamespaceSpecifier') imports.namespaces.add(local);
      else if (specifier.type === 'ImportSpecifier') imports.functions.set(local, String((specifier['imported'] as SyntaxNode)['name']));
    }
  }
  return imports;
}

/** Collects the calls of functions that take rows. */
function collect(node: SyntaxNode, imports: Imports, url: string, calls: Map<string, readonly RowPlace[]>): void {
  if (node.type === 'CallExpression') noteCall(node, imports, url, calls);
  for (const part of Object.values(node)) {
    for (const inner of Array.isArray(part) ? (part as readonly unknown[]) : [part]) if (isNode(inner)) collect(inner, imports, url, calls);
  }
}

const isNode = (value: unknown): value is SyntaxNode => typeof value === 'object' && value !== null && typeof (value as SyntaxNode).type === 'string';

function noteCall(call: SyntaxNode, { functions, namespaces }: Imports, url: string, calls: Map<string, readonly RowPlace[]>): void {
  const callee = call['callee'] as SyntaxNode;
  const isMember = callee.type === 'MemberExpression' && namespaces.has(String((callee['object'] as SyntaxNode)['name']));
  const called = isMember ? (callee['property'] as SyntaxNode) : callee;
  const argument = rowsArgument.get((isMember ? String(called['name']) : functions.get(String(called['name']))) ?? '');
  const list = argument === undefined ? undefined : (call['arguments'] as readonly SyntaxNode[])[argument];
  const items = list && getItems(removeTypes(list));
  const at = called.loc?.start;
  if (!items || !at) return;
  const places = items.map(({ loc }): RowPlace | undefined =>
    loc ? { location: { file: url, line: loc.start.line, column: loc.start.column + 1 }, lines: loc.end.line - loc.start.line + 1 } : undefined,
  );
  if (places.every((place) => place !== undefined)) calls.set(`${url}:${at.line}:${at.column + 1}`, places);
}

/** The items of an array literal, or the properties of an object literal. Undefined if some are spread. */
function getItems(list: SyntaxNode): readonly SyntaxNode[] | undefined {
  const items = list.type === 'ArrayExpression' ? list['elements'] : list.type === 'ObjectExpression' ? list['properties'] : undefined;
  if (!Array.isArray(items) || items.some((item: SyntaxNode | null) => item === null || item.type === 'SpreadElement')) return undefined;
  return items as readonly SyntaxNode[];
}

/** Removes type syntax such as `as const`. */
function removeTypes(node: SyntaxNode): SyntaxNode {
  let inner = node;
  while (['TSAsExpression', 'TSSatisfiesExpression', 'TSNonNullExpression', 'ParenthesizedExpression'].includes(inner.type))
    inner = inner['expression'] as SyntaxNode;
  return inner;
}
