/**
 * A text with ranges replaced. Each is `{ start, end, write(inner) }`, where `inner` is the range's text with the ranges inside replaced
 * already; `start === end` inserts. Ranges contain each other or are apart. Of those for the same range, the first becomes the outermost.
 * What is inserted is outside of ranges that start there.
 */
export function replaceRanges(source, ranges) {
  const isInserted = ({ start, end }) => Number(start === end);
  const open = [...ranges].sort((a, b) => a.start - b.start || isInserted(b) - isInserted(a) || b.end - a.end);
  let next = 0;
  const write = (from, to) => {
    let [text, at] = ['', from];
    while (next < open.length && open[next].start < to) {
      const { start, end, write: replace } = open[next++];
      text += source.slice(at, start) + replace(write(start, end));
      at = end;
    }
    return text + source.slice(at, to);
  };
  return write(0, source.length);
}

/** A range that evaluates `call` at the beginning of a function; see `findFunctions`. */
export const callFirst = ({ start, end, isExpression }, call) =>
  isExpression ? { start, end, write: (inner) => `(${call},${inner})` } : { start, end: start, write: () => `${call};` };
