/** The maximum length of a word in names, in characters. */
export const MAX_WORD_LENGTH = 39;

/** Whether a character can be at a position in a plain word: an ASCII letter, followed by ASCII letters, digits, `.`, `_` and `+`. */
export const isIdentifierUnit = (unit: number, at: number): boolean =>
  (unit >= 97 && unit <= 122) || (unit >= 65 && unit <= 90) || (at > 0 && ((unit >= 48 && unit <= 57) || unit === 46 || unit === 95 || unit === 43));

const others = ['true', 'false', 'null', 'undefined'];

/** Whether a word that starts with this character can be a literal. For most words, this is the only test. */
export const mayStartLiteral = (unit: number): boolean => unit === 116 || unit === 102 || unit === 110 || unit === 117;

/** Whether a word can be read as something else. */
export const isLiteralWord = (text: string): boolean => others.includes(text);

/** Whether a text is its own slug, short enough for a name, and cannot be mistaken for a number or a keyword. */
export function isPlainIdentifier(text: string): boolean {
  if (text.length > MAX_WORD_LENGTH || text.length === 0) return false;
  for (let i = 0; i < text.length; i++) if (!isIdentifierUnit(text.charCodeAt(i), i)) return false;
  return !(mayStartLiteral(text.charCodeAt(0)) && isLiteralWord(text));
}
