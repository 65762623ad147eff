/** Longer ones are cut in names. */
export const longestWord = 39;

/** Whether a character may stand at a place in a plain word: a letter, then letters, digits, `.`, `_`, `+`, all of ASCII. */
export const isOfWord = (unit: number, at: number): boolean =>
  (unit >= 97 && unit <= 122) || (unit >= 65 && unit <= 90) || (at > 0 && ((unit >= 48 && unit <= 57) || unit === 46 || unit === 95 || unit === 43));

const others = ['true', 'false', 'null', 'undefined'];

/** Whether what begins with this character may read as something else than a word: of most, no more need be looked at. */
export const mayBeOther = (unit: number): boolean => unit === 116 || unit === 102 || unit === 110 || unit === 117;

/** What reads as something else than a word. */
export const isOther = (text: string): boolean => others.includes(text);

/** A word that is its own slug, short enough to stand in a name whole, and reads as nothing but a word. */
export function isWord(text: string): boolean {
  if (text.length > longestWord || text.length === 0) return false;
  for (let i = 0; i < text.length; i++) if (!isOfWord(text.charCodeAt(i), i)) return false;
  return !(mayBeOther(text.charCodeAt(0)) && isOther(text));
}
