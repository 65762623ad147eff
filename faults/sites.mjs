// Finds the places of a source file at which a single fault can be planted, through its syntax tree, as edits of its text.
import { parse } from '@babel/parser';

const otherOperators = {
  '<': ['<='],
  '<=': ['<'],
  '>': ['>='],
  '>=': ['>'],
  '===': ['!=='],
  '!==': ['==='],
  '+': ['-'],
  '-': ['+'],
  '*': ['/'],
  '/': ['*'],
  '%': ['*'],
  '&&': ['||'],
  '||': ['&&'],
  '??': ['&&'],
};

const parseTree = (source) => parse(source, { sourceType: 'module', plugins: ['typescript', 'decorators'] }).program;

/** Calls `visit` with each node of a text and its parent, the outer nodes first, but for those of types. */
export function visitCode(source, visit) {
  const walk = (node, parent) => {
    if (node.type.startsWith('TS') && !['TSAsExpression', 'TSSatisfiesExpression', 'TSNonNullExpression'].includes(node.type)) return;
    visit(node, parent);
    for (const [name, part] of Object.entries(node)) {
      if (name === 'typeAnnotation' || name === 'typeParameters' || name === 'returnType' || name === 'loc') continue;
      for (const inner of Array.isArray(part) ? part : [part]) if (inner && typeof inner.type === 'string') walk(inner, node);
    }
  };
  walk(parseTree(source), undefined);
}

/**
 * The functions of a text: the line of each, where its body starts (behind a brace) and ends, and whether the body is an expression.
 * Code outside bodies, such as parameters and types, belongs to the surrounding function.
 */
export function findFunctions(source) {
  const functions = [];
  const visit = (node) => {
    if (node.body && /Function|Method/.test(node.type) && !node.type.startsWith('TS')) {
      const isExpression = node.body.type !== 'BlockStatement';
      const { start, end } = node.body;
      const { parenStart } = node.body.extra ?? {};
      functions.push({
        line: node.loc.start.line,
        isExpression,
        start: isExpression ? (parenStart ?? start) : start + 1,
        end: isExpression && parenStart !== undefined ? source.indexOf(')', end) + 1 : end,
      });
    }
    for (const [name, part] of Object.entries(node))
      if (name !== 'loc') for (const inner of Array.isArray(part) ? part : [part]) if (inner && typeof inner.type === 'string') visit(inner);
  };
  visit(parseTree(source));
  return functions;
}

/**
 * All faults of a text, in order: `{ kind, line, start, end, text, parts }`. The text replaces everything from start to end; `parts` are the
 * same change as whole expressions or statements, `{ start, end, text }`.
 */
export function findSites(source) {
  const sites = [];
  const text = (node) => source.slice(node.start, node.end);
  const add = (kind, node, replacement, from = node.start, to = node.end, parts = undefined) => {
    const whole = `${source.slice(node.start, from)}${replacement}${source.slice(to, node.end)}`;
    const { start, end } = node;
    sites.push({ kind, line: node.loc.start.line, start: from, end: to, text: replacement, parts: parts ?? [{ start, end, text: whole }] });
  };
  visitCode(source, (node, parent) => {
    if ((node.type === 'IfStatement' || node.type === 'ConditionalExpression' || node.type === 'WhileStatement') && node.test.type !== 'BooleanLiteral')
      add('negated condition', node.test, `!(${text(node.test)})`);
    if ((node.type === 'BinaryExpression' || node.type === 'LogicalExpression') && otherOperators[node.operator]) {
      const isText = [node.left, node.right].some(({ type }) => type === 'StringLiteral' || type === 'TemplateLiteral');
      for (const other of isText && '+-'.includes(node.operator) ? [] : otherOperators[node.operator]) {
        const kind = `${node.operator} becomes ${other}`;
        const from = node.left.end + source.slice(node.left.end, node.right.start).indexOf(node.operator);
        // A chain of `??` cannot contain `&&` without parentheses.
        if (node.operator === '??' && [node.left, node.right, parent].some((next) => next.operator === '??'))
          add(kind, node, `((${text(node.left)}) && (${text(node.right)}))`);
        else add(kind, node, `${node.operator === '??' ? ' && ' : other}`, from, from + node.operator.length);
      }
    }
    if (
      node.type === 'ExpressionStatement' &&
      ['CallExpression', 'AssignmentExpression', 'UpdateExpression', 'AwaitExpression'].includes(node.expression.type)
    ) {
      const isSuper = node.expression.callee?.type === 'Super';
      if (!isSuper) add('dropped statement', node, ';');
    }
    if (node.type === 'AwaitExpression') add('dropped await', node, `(${text(node.argument)})`);
    if (node.type === 'CatchClause' && node.body.body.length > 0) add('emptied catch', node.body, '{}');
    if (node.type === 'NumericLiteral' && parent?.type !== 'ObjectProperty') add('changed number', node, `${node.value + 1}`);
    if (node.type === 'BooleanLiteral') add('changed boolean', node, `${!node.value}`);
    if (
      node.type === 'CallExpression' &&
      node.arguments.length >= 2 &&
      // The order of these arguments does not matter.
      !/^Math\.(?:min|max|hypot|imul)$/.test(text(node.callee)) &&
      node.arguments.every(({ type }) => type !== 'SpreadElement' && type !== 'ArrowFunctionExpression')
    ) {
      const [first, second] = node.arguments;
      const part = ({ start, end }, other) => ({ start, end, text: text(other) });
      add('swapped arguments', node, `${text(second)}, ${text(first)}`, first.start, second.end, [part(first, second), part(second, first)]);
    }
  });
  return sites;
}

export const plant = (source, { start, end, text }) => source.slice(0, start) + text + source.slice(end);

/** Names a fault permanently: by its code and the change, not by its line. */
export const keyOf = ({ file, before, after, nth }) => `${file} | ${before} → ${after}${nth > 0 ? ` (${nth + 1})` : ''}`;

/** The same numbers for the same seed. */
export function startRandom(seed) {
  let state = [...seed].reduce((sum, unit) => Math.imul(sum, 31) + unit.charCodeAt(0), 7) | 0;
  return () => {
    state = (state + 0x9e3779b9) | 0;
    let mixed = Math.imul(state ^ (state >>> 16), 0x21f0aaad);
    mixed = Math.imul(mixed ^ (mixed >>> 15), 0x735a2d97);
    return ((mixed ^ (mixed >>> 15)) >>> 0) / 2 ** 32;
  };
}

/** Moves `count` random elements to the beginning of a list. */
export function shuffle(list, count, random) {
  for (let i = 0; i < count; i++) {
    const j = i + Math.floor(random() * (list.length - i));
    [list[i], list[j]] = [list[j], list[i]];
  }
  return list;
}
