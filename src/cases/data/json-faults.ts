import type { JSONVisitor, ParseOptions } from 'jsonc-parser';

/** Standard JSON (RFC 8259). */
export const STRICT_JSON: ParseOptions = { disallowComments: true, allowTrailingComma: false, allowEmptyContent: false };

export const tooDeep = 'nested too deeply';

/** Returns false if a document is nested so deeply that the visit ran out of stack. */
export function visitSafely(visit: () => void): boolean {
  try {
    visit();
    return true;
  } catch (error) {
    if (error instanceof RangeError) return false;
    throw error;
  }
}

/** The first syntax error of an invalid JSON text, with line and column from 1. */
interface Fault {
  readonly reason: string;
  readonly line: number;
  readonly column: number;
}

/** Finds the error in a text that the runtime could not parse. */
export async function findSyntaxError(text: string): Promise<Fault> {
  const { printParseErrorCode, visit } = await import('jsonc-parser');
  let found: Fault | undefined;
  const visitor: JSONVisitor = {
    onError(code, offset, _length, line, character) {
      found ??= { reason: explainFault(printParseErrorCode(code), text, offset), line: line + 1, column: character + 1 };
    },
  };
  const isRead = visitSafely(() => visit(text, visitor, STRICT_JSON));
  return found ?? { reason: isRead ? 'invalid JSON' : tooDeep, line: 1, column: 1 };
}

/** Finds a duplicate key of an object, which the runtime accepts. */
export async function findDuplicateKey(text: string): Promise<{ readonly key: string; readonly column: number } | undefined> {
  const { visit } = await import('jsonc-parser');
  const open: Set<string>[] = [];
  let found: { readonly key: string; readonly column: number } | undefined;
  const visitor: JSONVisitor = {
    onObjectBegin: () => void open.push(new Set()),
    onObjectEnd: () => void open.pop(),
    onObjectProperty(key, _offset, _length, _line, character) {
      const keys = open.at(-1) as Set<string>;
      if (keys.has(key)) found ??= { key, column: character + 1 };
      keys.add(key);
    },
  };
  visitSafely(() => visit(text, visitor, STRICT_JSON));
  return found;
}

/** Whether the text of a JSON value has more properties than the value. Much faster than finding the key. */
export const hasDuplicateKeys = (text: string, value: unknown): boolean => countColons(text) !== countProperties(value);

function countColons(text: string): number {
  let colons = 0;
  for (let at = 0; at < text.length; at++) {
    const unit = text.charCodeAt(at);
    if (unit === 58) colons++;
    else if (unit === 34) at = findStringEnd(text, at);
  }
  return colons;
}

/** The position of the quote that closes a string. */
function findStringEnd(text: string, start: number): number {
  for (let end = text.indexOf('"', start + 1); end >= 0; end = text.indexOf('"', end + 1)) {
    let slashes = 0;
    while (text.charCodeAt(end - 1 - slashes) === 92) slashes++;
    if (slashes % 2 === 0) return end;
  }
  return text.length;
}

function countProperties(value: unknown): number {
  if (typeof value !== 'object' || value === null) return 0;
  const items: readonly unknown[] = Array.isArray(value) ? value : Object.values(value);
  return items.reduce<number>((sum, item) => sum + countProperties(item), Array.isArray(value) ? 0 : items.length);
}

/** Describes a syntax error. `at` is where it was detected. */
function explainFault(code: string, text: string, at: number): string {
  const isEnd = text[at] === '}' || text[at] === ']';
  if (isEnd && text.slice(0, at).trimEnd().endsWith(',')) return `unexpected comma before this ${text[at]}`;
  if (code === 'InvalidSymbol' && !/[\p{L}\p{N}_'`“]/u.test(text.charAt(at))) return `\`${text.charAt(at)}\` is not valid in JSON`;
  return reasons[code] ?? 'invalid JSON';
}

const reasons: Readonly<Record<string, string>> = {
  CloseBraceExpected: 'unclosed object: expected a comma or }',
  CloseBracketExpected: 'unclosed array: expected a comma or ]',
  ColonExpected: 'expected a colon',
  CommaExpected: 'expected a comma before this',
  EndOfFileExpected: 'unexpected text after the end of the document',
  InvalidCharacter: 'control character in a string. Write it as an escape sequence.',
  InvalidCommentToken: 'JSON does not allow comments',
  InvalidEscapeCharacter: 'invalid escape sequence in a string',
  InvalidNumberFormat: 'invalid number',
  InvalidSymbol: 'invalid value: strings and keys need double quotes',
  InvalidUnicode: 'invalid unicode escape in a string',
  PropertyNameExpected: 'expected a key in double quotes',
  UnexpectedEndOfComment: 'JSON does not allow comments',
  UnexpectedEndOfNumber: 'invalid number',
  UnexpectedEndOfString: 'unclosed string',
  ValueExpected: 'expected a value',
};
