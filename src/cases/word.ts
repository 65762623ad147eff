/** Longer ones are cut in names. */
export const longestWord = 39;

/** Whether a character may stand at a place in a plain word: a letter, then letters, digits, `.`, `_`, `+`, all of ASCII. */
export const isOfWord = (unit: number, at: number): boolean =>
  (unit >= 97 && unit <= 122) || (unit >= 65 && unit <= 90) || (at > 0 && ((unit >= 48 && unit <= 57) || unit === 46 || unit === 95 || unit === 43));

/** What reads as something else than a word. Compared one by one: to look a text up, it would have to be hashed. */
export const isOther = (text: string): boolean => text === 'true' || text === 'false' || text === 'null' || text === 'undefined';

/** A word that is its own slug, short enough to stand in a name whole, and reads as nothing but a word. */
export function isWord(text: string): boolean {
  if (text.length > longestWord || text.length === 0) return false;
  for (let i = 0; i < text.length; i++) if (!isOfWord(text.charCodeAt(i), i)) return false;
  return !isOther(text);
}
