import { diffArrays, diffChars } from 'diff';

/** One line of a difference: on one side or on both, with the parts of it that differ as [start, end) in characters. */
export interface DifferenceLine {
  readonly side: 'both' | 'actual' | 'expected' | 'left-out';
  readonly text: string;
  readonly marks?: readonly (readonly [number, number])[];
}

const context = 3;
const mostCompared = 4000;

/** How two texts differ: within the line where both are one line, else line by line with three lines of context. */
export function difference(actual: string, expected: string): DifferenceLine[] {
  if (!actual.includes('\n') && !expected.includes('\n')) return within(actual, expected);
  const [a, b] = [actual.split('\n'), expected.split('\n')];
  const lines: DifferenceLine[] = [];
  for (const part of diffArrays(b, a, { maxEditLength: 2000 }) ?? [
    { value: b, removed: true, added: false },
    { value: a, added: true, removed: false },
  ]) {
    const side = part.added ? 'actual' : part.removed ? 'expected' : 'both';
    for (const text of part.value) lines.push({ side, text });
  }
  return markPairs(fold(lines));
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
      folded.push({ side: 'left-out', text: `${left} equal line${left === 1 ? '' : 's'}` });
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

const plainNumber = /^-?\d+(?:\.\d+)?(?:e[+-]?\d+)?,?$/;

function within(actual: string, expected: string): DifferenceLine[] {
  const whole = (plainNumber.test(actual.trim()) && plainNumber.test(expected.trim())) || actual.length + expected.length > mostCompared;
  const parts = whole ? undefined : diffChars(expected, actual, { maxEditLength: 200 });
  const shared = parts?.reduce((sum, part) => sum + (part.added || part.removed ? 0 : part.value.length), 0) ?? 0;
  // Texts that share a few letters by chance are told apart as wholes.
  if (!parts || shared * 2 < Math.min(actual.length, expected.length)) {
    const all = (text: string): readonly (readonly [number, number])[] => [[text.length - text.trimStart().length, text.length]];
    return [
      { side: 'actual', text: actual, marks: all(actual) },
      { side: 'expected', text: expected, marks: all(expected) },
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
    { side: 'actual', text: actual, marks: marks.actual },
    { side: 'expected', text: expected, marks: marks.expected },
  ];
}
