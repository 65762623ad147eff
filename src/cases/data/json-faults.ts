import type { JSONVisitor, ParseOptions } from 'jsonc-parser';

/** JSON as the standard has it (RFC 8259). */
export const strictly: ParseOptions = { disallowComments: true, allowTrailingComma: false, allowEmptyContent: false };

export const tooDeep = 'it is nested too deep to be read';

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
  return found ?? { reason: isRead ? 'it is no JSON' : tooDeep, line: 1, column: 1 };
}

/** In words; `at` is where it is noticed. */
function reasonFor(code: string, text: string, at: number): string {
  const isEnd = text[at] === '}' || text[at] === ']';
  if (isEnd && text.slice(0, at).trimEnd().endsWith(',')) return `there is a comma too many before this ${text[at]}`;
  if (code === 'InvalidSymbol' && !/[\p{L}\p{N}_'`“]/u.test(text.charAt(at))) return `\`${text.charAt(at)}\` means nothing in JSON`;
  return reasons[code] ?? 'it is no JSON';
}

const reasons: Readonly<Record<string, string>> = {
  CloseBraceExpected: 'an object is not closed: a comma or a } is wanted here',
  CloseBracketExpected: 'a list is not closed: a comma or a ] is wanted here',
  ColonExpected: 'a colon is wanted here',
  CommaExpected: 'a comma is wanted before this',
  EndOfFileExpected: 'the document had ended before this',
  InvalidCharacter: 'a control character stands in this text: write it as an escape',
  InvalidCommentToken: 'JSON has no comments',
  InvalidEscapeCharacter: 'this text has an escape that JSON does not know',
  InvalidNumberFormat: 'this is no number as JSON has them',
  InvalidSymbol: 'this is no value of JSON: a text or a key stands in double quotes',
  InvalidUnicode: 'this text has an escape that is no character',
  PropertyNameExpected: 'a key in double quotes is wanted here',
  UnexpectedEndOfComment: 'JSON has no comments',
  UnexpectedEndOfNumber: 'this is no number as JSON has them',
  UnexpectedEndOfString: 'this text is not closed on its line',
  ValueExpected: 'a value is wanted here',
};
