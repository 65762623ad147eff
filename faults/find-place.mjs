// Finds a piece of code in a text by its shape, so that a rename does not lose it. Blanks and comments do not count. Names and string
// literals of the pattern may be others in the text, if each is so consistently; among several such places the one with the most equal
// names is taken, and it has to be the only one.

const tokenPattern =
  /\/\/[^\n]*|\/\*[\s\S]*?\*\/|'(?:\\.|[^'\\\n])*'|"(?:\\.|[^"\\\n])*"|#?(?:[\p{L}_]|\$(?!\{))(?:[\p{L}\p{N}_]|\$(?!\{))*|\$\{|\p{N}[\p{N}\w.]*|\S/gu;
const keywords = new Set(
  'as async await break case catch class const continue declare default delete do else export extends false finally for from function get if implements import in instanceof interface let new null of private protected public readonly return satisfies set static super switch this throw true try type typeof undefined var void while with yield'.split(
    ' ',
  ),
);

/** The tokens of a text, with their offsets. */
export function tokensOf(text) {
  return [...text.matchAll(tokenPattern)]
    .filter(([token]) => !token.startsWith('//') && !token.startsWith('/*'))
    .map((match) => ({ text: match[0], start: match.index, end: match.index + match[0].length }));
}

const isName = (token) => (/^#?[\p{L}_$]/u.test(token) && !keywords.has(token)) || /^['"]/.test(token);
const isSameKind = (a, b) => /^['"]/.test(a) === /^['"]/.test(b) && a.startsWith('#') === b.startsWith('#');

/** The names of the pattern as they are in the text from a token on; undefined if the shape differs. */
function matchAt(tokens, at, pattern) {
  const names = new Map();
  const taken = new Map();
  for (let i = 0; i < pattern.length; i++) {
    const [here, there] = [tokens[at + i]?.text, pattern[i].text];
    if (here === undefined) return undefined;
    if (!isName(there)) {
      if (here !== there) return undefined;
      continue;
    }
    if (!isName(here) || !isSameKind(here, there)) return undefined;
    if ((names.has(there) && names.get(there) !== here) || (taken.has(here) && taken.get(here) !== there)) return undefined;
    names.set(there, here);
    taken.set(here, there);
  }
  return names;
}

/** Finds the pattern in the text: `{ start, end, names }`. Throws unless exactly one place matches best. */
export function findPlace(text, pattern) {
  const tokens = tokensOf(text);
  const wanted = tokensOf(pattern);
  const found = [];
  for (let at = 0; at + wanted.length <= tokens.length; at++) {
    const names = matchAt(tokens, at, wanted);
    if (!names) continue;
    const equal = wanted.filter((token, i) => tokens[at + i].text === token.text).length;
    found.push({ start: tokens[at].start, end: tokens[at + wanted.length - 1].end, names, equal });
  }
  found.sort((a, b) => b.equal - a.equal);
  if (found.length === 0) throw new Error('no place has this shape');
  if (found.length > 1 && found[0].equal === found[1].equal) throw new Error('several places have this shape; make the pattern longer');
  return found[0];
}

/** The text with other code at the pattern's place. Names in both are written as in the text. */
export function replaceAtPlace(text, pattern, replacement) {
  const { start, end, names } = findPlace(text, pattern);
  const written = replacement.replace(tokenPattern, (token) => names.get(token) ?? token);
  return text.slice(0, start) + written + text.slice(end);
}
