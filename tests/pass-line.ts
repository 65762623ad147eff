import { type PlainPass, writePass } from '../src/results/journal.ts';
import { LineBytes } from '../src/results/line-bytes.ts';

/** A plain pass as a lane's journal has it. */
export function passLine(pass: PlainPass): string {
  const lines = new LineBytes();
  writePass(pass, lines, JSON.stringify);
  return new TextDecoder().decode(lines.take()).trimEnd();
}
