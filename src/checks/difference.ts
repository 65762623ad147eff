import { diffArrays, diffChars } from 'diff';

/** One line of a difference: on one side or on both, with the parts of it that differ as [start, end) in characters. */
export interface DifferenceLine {
  readonly side: 'both' | 'actual' | 'expected' | 'omitted';
  readonly text: string;
  readonly highlights?: readonly (readonly [number, number])[];
}

const context = 3;
const mostCompared = 4000;
const longestLine = 240;
/** Characters that stay on both sides of what differs in a long line. */
const around = 40;

/**
 * How two shown values differ: within the line where both are one line, else line by line with three lines of context. Two texts
 * of several lines are compared as such. What is long is cut around what differs.
 */
export function difference(actual: string, expected: string): DifferenceLine[] {
  const [actualText, expectedText] = [textIn(actual), textIn(expected)];
  if (actualText !== undefined && expectedText !== undefined && `${actualText}${expectedText}`.includes('\n')) return ofLines(actualText, expectedText);
  if (!actual.includes('\n') && !expected.includes('\n')) return within(actual, expected).map(cut);
  return ofLines(actual, expected);
}

/** The signed difference of two numbers, both as `show` writes them: `+7`. Undefined for equal numbers and other values. */
export function distance(actual: string, expected: string): string | undefined {
  if (!plainNumber.test(actual) || !plainNumber.test(expected)) return undefined;
  const apart = Number((Number(actual) - Number(expected)).toPrecision(12));
  return apart === 0 ? undefined : `${apart > 0 ? '+' : '−'}${Math.abs(apart)}`;
}

/** The text that a value is, as `show` writes it. */
export function textIn(shown: string): string | undefined {
  if (!shown.startsWith('"') || shown.includes('\n')) return undefined;
  try {
    return JSON.parse(shown) as string;
  } catch {
    return undefined;
  }
}

function ofLines(actual: string, expected: string): DifferenceLine[] {
  const [a, b] = [actual.split('\n'), expected.split('\n')];
  const lines: DifferenceLine[] = [];
  for (const part of diffArrays(b, a, { maxEditLength: 2000 }) ?? [
    { value: b, removed: true, added: false },
    { value: a, added: true, removed: false },
  ]) {
    const side = part.added ? 'actual' : part.removed ? 'expected' : 'both';
    for (const text of part.value) lines.push({ side, text });
  }
  return markPairs(fold(lines)).map(cut);
}

/** Keeps `context` lines around what differs. */
function fold(lines: readonly DifferenceLine[]): DifferenceLine[] {
  const near = new Set<number>();
  lines.forEach((line, i) => {
    if (line.side !== 'both') for (let j = i - context; j <= i + context; j++) near.add(j);
  });
  const folded: DifferenceLine[] = [];
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

/** A line that took another's place is marked where the two differ. */
function markPairs(lines: DifferenceLine[]): DifferenceLine[] {
  for (let i = 1; i < lines.length; i++) {
    const [one, two] = [lines[i - 1] as DifferenceLine, lines[i] as DifferenceLine];
    const alone = (index: number, side: string): boolean => lines[index]?.side !== side;
    if (one.side === 'expected' && two.side === 'actual' && alone(i - 2, 'expected') && alone(i + 1, 'actual')) {
      const [actual, expected] = within(two.text, one.text);
      lines[i - 1] = expected as DifferenceLine;
      lines[i] = actual as DifferenceLine;
    }
  }
  return lines;
}

/** A long line, cut around its first difference. */
function cut(line: DifferenceLine): DifferenceLine {
  const { text, highlights: marks = [] } = line;
  if (text.length <= longestLine) return line;
  const from = Math.max(0, (marks[0]?.[0] ?? 0) - around);
  const to = Math.min(text.length, from + longestLine, (marks.at(-1)?.[1] ?? longestLine) + around);
  const [before, after] = [from > 0 ? '…' : '', to < text.length ? '…' : ''];
  const moved = marks
    .filter(([start]) => start < to)
    .map(([start, end]) => [Math.max(start, from) - from + before.length, Math.min(end, to) - from + before.length] as const);
  return { ...line, text: `${before}${text.slice(from, to)}${after}`, ...(line.highlights && { highlights: moved }) };
}

const plainNumber = /^-?\d+(?:\.\d+)?(?:e[+-]?\d+)?,?$/;

function within(actual: string, expected: string): DifferenceLine[] {
  if (actual.length + expected.length > mostCompared) return betweenEnds(actual, expected);
  const whole = plainNumber.test(actual.trim()) && plainNumber.test(expected.trim());
  const parts = whole ? undefined : diffChars(expected, actual, { maxEditLength: 200 });
  const shared = parts?.reduce((sum, part) => sum + (part.added || part.removed ? 0 : part.value.length), 0) ?? 0;
  // Texts that share a few letters by chance are told apart as wholes.
  if (!parts || shared * 2 < Math.min(actual.length, expected.length)) {
    const all = (text: string): readonly (readonly [number, number])[] => [[text.length - text.trimStart().length, text.length]];
    return [
      { side: 'actual', text: actual, highlights: all(actual) },
      { side: 'expected', text: expected, highlights: all(expected) },
    ];
  }
  const marks = { actual: [] as [number, number][], expected: [] as [number, number][] };
  let [a, e] = [0, 0];
  for (const { value, added, removed } of parts) {
    if (added) marks.actual.push([a, a + value.length]);
    if (removed) marks.expected.push([e, e + value.length]);
    if (!removed) a += value.length;
    if (!added) e += value.length;
  }
  return [
    { side: 'actual', text: actual, highlights: marks.actual },
    { side: 'expected', text: expected, highlights: marks.expected },
  ];
}

/** Of texts that are too long to be compared in full: what lies between the start and the end that they share. */
function betweenEnds(actual: string, expected: string): DifferenceLine[] {
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
