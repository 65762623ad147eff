import type { JSONVisitor, ParseOptions } from 'jsonc-parser';

/** JSON as the standard has it (RFC 8259). */
export const strictly: ParseOptions = { disallowComments: true, allowTrailingComma: false, allowEmptyContent: false };

export const tooDeep = 'nested too deeply';

/** False where a document is nested so deep that the visit ran out of stack. */
export function visited(visit: () => void): boolean {
  try {
    visit();
    return true;
  } catch (error) {
    if (error instanceof RangeError) return false;
    throw error;
  }
}

/** What is wrong with a text that is no JSON, and where first: line and column from 1. */
interface Fault {
  readonly reason: string;
  readonly line: number;
  readonly column: number;
}

/** Looks for what is wrong with a text that the runtime did not read. */
export async function faultOf(text: string): Promise<Fault> {
  const { printParseErrorCode, visit } = await import('jsonc-parser');
  let found: Fault | undefined;
  const visitor: JSONVisitor = {
    onError(code, offset, _length, line, character) {
      found ??= { reason: reasonFor(printParseErrorCode(code), text, offset), line: line + 1, column: character + 1 };
    },
  };
  const isRead = visited(() => visit(text, visitor, strictly));
  return found ?? { reason: isRead ? 'invalid JSON' : tooDeep, line: 1, column: 1 };
}

/** In words; `at` is where it is noticed. */
function reasonFor(code: string, text: string, at: number): string {
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
