import { diffArrays, diffChars } from 'diff';

/** One line of a difference: on one side or on both, with its differing parts as [start, end) in characters. */
export interface DiffLine {
  readonly side: 'both' | 'actual' | 'expected' | 'omitted';
  readonly text: string;
  readonly highlights?: readonly (readonly [number, number])[];
}

const CONTEXT_LINES = 3;
/** Longer lines, both together, are not compared character by character. */
const MAX_COMPARED_CHARACTERS = 4000;
const MAX_LINE_LENGTH = 240;
/** The number of equal characters kept on both sides of a difference in a long line. */
const CONTEXT_CHARACTERS = 40;

/**
 * Compares two formatted values: within the line if both have one line, else line by line with three lines of context. Two texts of several
 * lines are compared as texts. Long lines are cut around their differences.
 */
export function diffValues(actual: string, expected: string): DiffLine[] {
  const [actualText, expectedText] = [parseShownText(actual), parseShownText(expected)];
  if (actualText !== undefined && expectedText !== undefined && `${actualText}${expectedText}`.includes('\n')) return diffLines(actualText, expectedText);
  if (!actual.includes('\n') && !expected.includes('\n')) return diffInline(actual, expected).map(truncate);
  return diffLines(actual, expected);
}

/** The signed difference of two formatted numbers: `+7`. Undefined for equal numbers and other values. */
export function measureDistance(actual: string, expected: string): string | undefined {
  if (!plainNumber.test(actual) || !plainNumber.test(expected)) return undefined;
  const distance = Number((Number(actual) - Number(expected)).toPrecision(12));
  return distance === 0 ? undefined : `${distance > 0 ? '+' : '−'}${Math.abs(distance)}`;
}

/** The text in a value that `formatValue` has quoted. */
export function parseShownText(shown: string): string | undefined {
  if (!shown.startsWith('"') || shown.includes('\n')) return undefined;
  try {
    return JSON.parse(shown) as string;
  } catch {
    return undefined;
  }
}

/** Compares two texts line by line, with three lines of context. Of lines that differ, the expected ones come first. */
export function diffLines(actual: string, expected: string): DiffLine[] {
  const [a, b] = [actual.split('\n'), expected.split('\n')];
  const lines: DiffLine[] = [];
  for (const part of diffArrays(b, a, { maxEditLength: 2000 }) ?? [
    { value: b, removed: true, added: false },
    { value: a, added: true, removed: false },
  ]) {
    const side = part.added ? 'actual' : part.removed ? 'expected' : 'both';
    for (const text of part.value) lines.push({ side, text });
  }
  return highlightPairs(foldUnchanged(lines)).map(truncate);
}

/** Keeps `context` lines around each difference. */
function foldUnchanged(lines: readonly DiffLine[]): DiffLine[] {
  const near = new Set<number>();
  lines.forEach((line, i) => {
    if (line.side !== 'both') for (let j = i - CONTEXT_LINES; j <= i + CONTEXT_LINES; j++) near.add(j);
  });
  const folded: DiffLine[] = [];
  let left = 0;
  lines.forEach((line, i) => {
    if (!near.has(i)) left++;
    if ((near.has(i) || i === lines.length - 1) && left > 0) {
      folded.push({ side: 'omitted', text: `${left} equal line${left === 1 ? '' : 's'}` });
      left = 0;
    }
    if (near.has(i)) folded.push(line);
  });
  return folded;
}

/** Highlights the differing parts of a line and of the line that replaces it. */
function highlightPairs(lines: DiffLine[]): DiffLine[] {
  for (let i = 1; i < lines.length; i++) {
    const [one, two] = [lines[i - 1] as DiffLine, lines[i] as DiffLine];
    const alone = (index: number, side: string): boolean => lines[index]?.side !== side;
    if (one.side === 'expected' && two.side === 'actual' && alone(i - 2, 'expected') && alone(i + 1, 'actual')) {
      const [actual, expected] = diffInline(two.text, one.text);
      lines[i - 1] = expected as DiffLine;
      lines[i] = actual as DiffLine;
    }
  }
  return lines;
}

/** A long line, cut around its first difference. */
function truncate(line: DiffLine): DiffLine {
  const { text, highlights = [] } = line;
  if (text.length <= MAX_LINE_LENGTH) return line;
  const from = Math.max(0, (highlights[0]?.[0] ?? 0) - CONTEXT_CHARACTERS);
  const to = Math.min(text.length, from + MAX_LINE_LENGTH, (highlights.at(-1)?.[1] ?? MAX_LINE_LENGTH) + CONTEXT_CHARACTERS);
  const [before, after] = [from > 0 ? '…' : '', to < text.length ? '…' : ''];
  const moved = highlights
    .filter(([start]) => start < to)
    .map(([start, end]) => [Math.max(start, from) - from + before.length, Math.min(end, to) - from + before.length] as const);
  return { ...line, text: `${before}${text.slice(from, to)}${after}`, ...(line.highlights && { highlights: moved }) };
}

const plainNumber = /^-?\d+(?:\.\d+)?(?:e[+-]?\d+)?,?$/;

function diffInline(actual: string, expected: string): DiffLine[] {
  if (actual.length + expected.length > MAX_COMPARED_CHARACTERS) return trimCommonEnds(actual, expected);
  const whole = plainNumber.test(actual.trim()) && plainNumber.test(expected.trim());
  const parts = whole ? undefined : diffChars(expected, actual, { maxEditLength: 200 });
  const shared = parts?.reduce((sum, part) => sum + (part.added || part.removed ? 0 : part.value.length), 0) ?? 0;
  // Two texts that share only a few letters are highlighted as a whole.
  if (!parts || shared * 2 < Math.min(actual.length, expected.length)) {
    const all = (text: string): readonly (readonly [number, number])[] => [[text.length - text.trimStart().length, text.length]];
    return [
      { side: 'actual', text: actual, highlights: all(actual) },
      { side: 'expected', text: expected, highlights: all(expected) },
    ];
  }
  const highlights = { actual: [] as [number, number][], expected: [] as [number, number][] };
  let [a, e] = [0, 0];
  for (const { value, added, removed } of parts) {
    if (added) highlights.actual.push([a, a + value.length]);
    if (removed) highlights.expected.push([e, e + value.length]);
    if (!removed) a += value.length;
    if (!added) e += value.length;
  }
  return [
    { side: 'actual', text: actual, highlights: highlights.actual },
    { side: 'expected', text: expected, highlights: highlights.expected },
  ];
}

/** For texts that are too long to be compared in full: the part between their common start and their common end. */
function trimCommonEnds(actual: string, expected: string): DiffLine[] {
  const shorter = Math.min(actual.length, expected.length);
  let start = 0;
  while (start < shorter && actual[start] === expected[start]) start++;
  let end = 0;
  while (end < shorter - start && actual[actual.length - 1 - end] === expected[expected.length - 1 - end]) end++;
  return [
    { side: 'actual', text: actual, highlights: [[start, actual.length - end]] },
    { side: 'expected', text: expected, highlights: [[start, expected.length - end]] },
  ];
}
