import type { Place } from '../../problems/place.ts';
import { oneLine, type Style } from '../style.ts';

/** Gives the text of a source file, by the name that places have; undefined where there is none. */
export type SourceText = (file: string) => string | undefined;

const around = 2;
const longest = 400;
const cut = (line: string): string => (line.length > longest ? `${line.slice(0, longest - 1)}…` : line);

/** The lines around a place, the line itself marked, and its column beneath. */
export function codeFrame(place: Place, source: SourceText, style: Style): string[] {
  // A workbook's bytes are no lines.
  const lines = place.sheet === undefined ? source(place.file)?.split('\n') : undefined;
  const line = lines?.[place.line - 1];
  // A line that no person wrote is no help.
  if (lines === undefined || line === undefined || line.length > longest) return [];
  const first = Math.max(1, place.line - around);
  const last = Math.min(lines.length, place.line + 1);
  const width = String(last).length;
  const frame: string[] = [];
  for (let number = first; number <= last; number++) {
    const text = oneLine(cut((lines[number - 1] as string).replace(/\r$/, '')));
    const label = String(number).padStart(width);
    if (number === place.line) {
      const before = oneLine(line.slice(0, place.column - 1)).length;
      frame.push(
        `${style.red('▸')} ${style.bold(label)} │ ${text}`,
        `  ${' '.repeat(width)} │ ${' '.repeat(before)}${style.red('▔'.repeat(Math.max(1, wordLength(line, place.column))))}`,
      );
    } else frame.push(style.dim(`  ${label} │ ${text}`));
  }
  return frame;
}

/** How far the name or the call at a column goes. */
const wordLength = (line: string, column: number): number => /^[\p{L}\p{N}_$]+/u.exec(line.slice(column - 1))?.[0].length ?? 1;
