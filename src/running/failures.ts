import type { Mismatch } from '../checks/comparisons.ts';
import { formatValue } from '../checks/format-value.ts';
import { isInstanceOf } from '../problems/instance-of.ts';
import { type CapturedStack, type Frame, getStack, parseFrames } from '../problems/source-location.ts';
import type { Cause, Failure } from './result.ts';
import { limitText, MAX_MESSAGE_LENGTH, toText } from './text-limits.ts';

const MAX_FRAMES = 8;

interface Where {
  readonly step?: readonly string[] | undefined;
  readonly fixture?: string | undefined;
}

/** The location and the frames of a failure. Frames in packages are used only if all frames are in packages. */
const findFrames = (all: readonly Frame[]): Pick<Failure, 'location' | 'frames'> => {
  const own = all.filter(({ file }) => !file.includes('/node_modules/'));
  // Recursion repeats frames.
  const frames = (own.length ? own : all).filter(
    ({ file, line, column }, i, list) => !(list[i - 1]?.file === file && list[i - 1]?.line === line && list[i - 1]?.column === column),
  );
  const [first] = frames;
  return first ? { location: { file: first.file, line: first.line, column: first.column }, frames: frames.slice(0, MAX_FRAMES) } : {};
};

export function buildCheckFailure(mismatch: Mismatch, note: unknown, origin: CapturedStack | undefined, where: Where): Failure {
  const message = limitText(mismatch.message, MAX_MESSAGE_LENGTH);
  return { cause: 'check', ...mismatch, message, note: note === undefined ? undefined : toText(note), ...where, ...findFrames(parseFrames(getStack(origin))) };
}

/** The failure of a thrown value of any type. */
export function buildThrowFailure(error: unknown, cause: Cause, where: Where): Failure {
  return { cause, message: formatThrown(error), causes: findCauses(error), ...where, ...findFrames(parseFrames(findStack(error))) };
}

const findStack = (error: unknown): unknown => (isInstanceOf(error, Error) ? getStack(error) : undefined);

const formatThrown = (error: unknown): string => limitText(formatWholeThrown(error), MAX_MESSAGE_LENGTH);

function formatWholeThrown(error: unknown): string {
  try {
    // Compared by name, since the error can come from another process.
    if (isInstanceOf(error, Error)) {
      const message = toText(error.message, MAX_MESSAGE_LENGTH);
      if (error.name === 'ProblemError') return message;
      return message ? `${toText(error.name)}: ${message}` : toText(error.name);
    }
    return `threw ${formatValue(error)}, which is not an Error`;
  } catch {
    return 'threw a value that cannot be inspected';
  }
}

const MAX_CAUSE_DEPTH = 8;

function findCauses(error: unknown): readonly string[] | undefined {
  try {
    return listCauses(error);
  } catch {
    return undefined;
  }
}

function listCauses(error: unknown): readonly string[] | undefined {
  const found: string[] = [];
  const visit = (outer: unknown, depth: number): void => {
    if (!isInstanceOf(outer, Error) || depth > MAX_CAUSE_DEPTH) return;
    const inner = [...(isInstanceOf(outer, AggregateError) ? (outer.errors as unknown[]) : []), ...(outer.cause === undefined ? [] : [outer.cause])];
    for (const one of inner) {
      found.push(formatThrown(one));
      visit(one, depth + 1);
    }
  };
  visit(error, 0);
  return found.length ? found : undefined;
}
