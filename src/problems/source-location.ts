import { parseStack } from 'error-stack-parser-es/lite';

/** A location in a file (a path or a URL). Lines and columns are counted from 1. */
export interface SourceLocation {
  readonly file: string;
  readonly line: number;
  readonly column: number;
  /** The sheet of a workbook. The line is then the row's number, and the column the cell's. */
  readonly sheet?: string | undefined;
}

/** The location after a text that begins at a location. */
export function advanceLocation({ file, line, column }: SourceLocation, text: string): SourceLocation {
  const lastBreak = text.lastIndexOf('\n');
  if (lastBreak < 0) return { file, line, column: column + text.length };
  return { file, line: line + text.split('\n').length - 1, column: text.length - lastBreak };
}

/** A stack frame: a location, and the name of its function, if any. */
export interface Frame extends SourceLocation {
  readonly functionName: string | undefined;
}

/** A call site. Capturing frames is cheap and formatting them is not, so its text is created on demand. */
export interface CapturedStack {
  readonly stack?: string;
}

type Captures = { captureStackTrace?(target: object, belowFunction: unknown): void; stackTraceLimit?: number };

/**
 * Captures where `belowFunction` was called, as up to `depth` frames.
 *
 * Engines without `captureStackTrace` give an origin without a location.
 */
export function captureStack(belowFunction: unknown, depth = 4): CapturedStack {
  const target: { stack?: string } = {};
  const errors = Error as Captures;
  const limit = errors.stackTraceLimit;
  errors.stackTraceLimit = depth;
  errors.captureStackTrace?.(target, belowFunction);
  if (limit === undefined) delete errors.stackTraceLimit;
  else errors.stackTraceLimit = limit;
  return target;
}

/** A frame in the format of V8. Paths may contain blanks and parentheses. */
const frameLine = /^\s*at (?:async )?(?:(.*?) \()?((?:[a-z][a-z0-9+.-]*:|\/|[A-Z]:\\).*?):(\d+):(\d+)\)?$/;
/** Computed without `new URL`: bundlers would take it for a missing asset. */
const libraryFolder = import.meta.url.replace(/[^/]*$/, '');

/** The frames of a stack's text, innermost first, without those of the runtime and of this library. */
export function parseFrames(stack: unknown): Frame[] {
  if (typeof stack !== 'string') return [];
  const frames = stack.split('\n').flatMap((line): Frame[] => {
    const [, functionName, file, row, column] = frameLine.exec(line) ?? [];
    return file === undefined ? [] : [{ file, line: Number(row), column: Number(column), functionName }];
  });
  return (frames.length > 0 ? frames : parseOtherFrames(stack)).filter(({ file }) => !file.startsWith('node:') && !file.startsWith(libraryFolder));
}

/** The frames of engines other than V8: `name@file:line:column`. */
const parseOtherFrames = (stack: string): Frame[] =>
  parseStack(stack).flatMap(({ file, line, col, function: functionName }) =>
    file === undefined || line === undefined || col === undefined || !stack.includes('@') ? [] : [{ file, line, column: col, functionName }],
  );

/** The text of a stack, or undefined if a test has broken `Error.prepareStackTrace`. */
export function getStack(target: { readonly stack?: unknown } | undefined): unknown {
  try {
    return target?.stack;
  } catch {
    return undefined;
  }
}

export function findLocation(origin: CapturedStack | undefined): SourceLocation | undefined {
  const frame = parseFrames(getStack(origin))[0];
  return frame && { file: frame.file, line: frame.line, column: frame.column };
}

/** In the format that editors and terminals link. */
export const formatLocation = ({ file, line, column, sheet }: SourceLocation): string =>
  sheet === undefined ? `${file}:${line}:${column}` : `${file}:${/^[\p{L}\p{N}_]+$/u.test(sheet) ? sheet : `'${sheet}'`}!${formatColumnLetters(column)}${line}`;

/** A workbook's name for a column: 27 is `AA`. */
function formatColumnLetters(column: number): string {
  let letters = '';
  for (let rest = column; rest > 0; rest = Math.floor((rest - 1) / 26)) letters = String.fromCharCode(65 + ((rest - 1) % 26)) + letters;
  return letters;
}
