import { writeSync } from 'node:fs';

const isDebugging = process.env['RED_LATTICE_DEBUG'] === '1';
const started = performance.now();
const MAX_LINE_LENGTH = 300;

/**
 * Prints messages, scheduling, deadlines and kills to standard error, if RED_LATTICE_DEBUG is 1. `write` is
 * called only then.
 */
export function debugLog(subject: string, write: () => string): void {
  if (!isDebugging) return;
  const seconds = ((performance.now() - started) / 1000).toFixed(3).padStart(8);
  const text = write().replace(/[\u0000-\u001f\u007f-\u009f]/g, ' ');
  const line = `${seconds} ${subject.padEnd(12)} ${text}`;
  writeSync(2, `${line.length > MAX_LINE_LENGTH ? `${line.slice(0, MAX_LINE_LENGTH - 1)}…` : line}\n`);
}

/** A message between processes as one line: its type, then its other fields. */
export const describeMessage = ({ type, ...fields }: { readonly type: string }): string => {
  const { to: _to, from: _from, ...rest } = fields as Record<string, unknown>;
  return Object.keys(rest).length === 0 ? type : `${type} ${JSON.stringify(rest)}`;
};
