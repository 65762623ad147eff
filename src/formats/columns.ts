/** Characters that are one column wide: Latin letters, arrows, lines and our own symbols. Measuring others needs tables, and some time. */
const isNarrow = /^[\x20-\u02ff\u2010-\u22ff\u2500-\u25fc\u2717]*$/;
let segmenter: Intl.Segmenter | undefined;
/** Splits a text into the characters that a reader sees. The segmenter is created on first use: most text is plain. */
const graphemes = (text: string) => (segmenter ??= new Intl.Segmenter('en')).segment(text);

/** Loads the library on first use: creating its tables takes tens of milliseconds. */
const measureOther = (text: string): number => (require('string-width') as typeof import('string-width')).default(text);

/** The width of a text on a terminal, in columns: two for wide characters (Unicode Standard Annex 11), none for combining marks. */
export const measureWidth = (text: string): number => (isNarrow.test(text) ? text.length : measureOther(text));

/** The part of a text that occupies up to `columns` columns, starting at column `from`. A wide character across an edge is left out. */
export function sliceColumns(text: string, from: number, columns: number): string {
  if (isNarrow.test(text)) return text.slice(from, from + columns);
  let [part, at] = ['', 0];
  for (const { segment } of graphemes(text)) {
    const next = at + measureWidth(segment);
    if (at >= from && next <= from + columns) part += segment;
    at = next;
  }
  return part;
}

/** A text of exactly `columns` columns: cut with an ellipsis, or filled with blanks. */
export function padOrTruncate(text: string, columns: number): string {
  if (columns < 1) return '';
  if (measureWidth(text) <= columns) return text + ' '.repeat(columns - measureWidth(text));
  let [part, width] = ['', 0];
  for (const { segment } of graphemes(text)) {
    const next = width + measureWidth(segment);
    if (next > columns - 1) break;
    [part, width] = [part + segment, next];
  }
  return `${part}…${' '.repeat(columns - 1 - width)}`;
}

const colourCode = /\u001b\[[\d;]*m/g;

/** Breaks a line at blanks if it is wider than `width` columns. Later lines are indented by two more columns. Words are not broken. */
export function breakLine(line: string, width: number): readonly string[] {
  // Colour codes have no width.
  const strip = (text: string): string => text.replace(colourCode, '');
  if (measureWidth(strip(line)) <= width) return [line];
  const indent = ' '.repeat((/^ */.exec(strip(line))?.[0].length ?? 0) + 2);
  const lines: string[] = [];
  let begun: string | undefined;
  for (const word of line.split(' ')) {
    const longer: string = begun === undefined ? word : `${begun} ${word}`;
    if (begun === undefined || strip(begun).trim() === '' || measureWidth(strip(longer)) <= width) begun = longer;
    else {
      lines.push(begun.trimEnd());
      begun = indent + word;
    }
  }
  return [...lines, begun ?? ''];
}
