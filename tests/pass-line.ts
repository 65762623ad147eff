import { LineBytes } from '../src/results/line-bytes.ts';
import { PassWriter, type PlainPass } from '../src/results/plain-pass.ts';

/** A plain pass as a lane's journal has it. */
export function passLine(pass: PlainPass): string {
  const lines = new LineBytes();
  if (!new PassWriter().write(pass, Object.keys(pass.row), lines, JSON.stringify)) throw new Error('the row is not in the journal unchanged');
  return new TextDecoder().decode(lines.take()).trimEnd();
}
