/** Longer ones are cut in names. */
export const MAX_WORD_LENGTH = 39;

/** Whether a character may stand at a place in a plain word: a letter, then letters, digits, `.`, `_`, `+`, all of ASCII. */
export const isIdentifierUnit = (unit: number, at: number): boolean =>
  (unit >= 97 && unit <= 122) || (unit >= 65 && unit <= 90) || (at > 0 && ((unit >= 48 && unit <= 57) || unit === 46 || unit === 95 || unit === 43));

const others = ['true', 'false', 'null', 'undefined'];

/** Whether what begins with this character may read as something else than a word: of most, no more need be looked at. */
export const mayStartLiteral = (unit: number): boolean => unit === 116 || unit === 102 || unit === 110 || unit === 117;

/** What reads as something else than a word. */
export const isLiteralWord = (text: string): boolean => others.includes(text);

/** Whether a text is its own slug, short enough for a name, and cannot be mistaken for a number or a keyword. */
export function isPlainIdentifier(text: string): boolean {
  if (text.length > MAX_WORD_LENGTH || text.length === 0) return false;
  for (let i = 0; i < text.length; i++) if (!isIdentifierUnit(text.charCodeAt(i), i)) return false;
  return !(mayStartLiteral(text.charCodeAt(0)) && isLiteralWord(text));
}
