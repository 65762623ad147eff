import { type CompactPass, PassWriter } from '../src/results/journal/compact-pass.ts';
import { Utf8LineBuffer } from '../src/results/journal/line-buffer.ts';

/** A compact pass as a line of a lane's journal. */
export function passLine(pass: CompactPass): string {
  const lines = new Utf8LineBuffer();
  if (!new PassWriter().write(pass, Object.keys(pass.row), lines, JSON.stringify)) throw new Error('the row is not in the journal unchanged');
  return new TextDecoder().decode(lines.take()).trimEnd();
}
