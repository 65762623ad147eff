import type { SourceLocation } from '../../problems/source-location.ts';
import { escapeToOneLine, type Style } from '../style.ts';

const LINES_AROUND = 2;
const MAX_LINE_LENGTH = 400;
const cut = (line: string): string => (line.length > MAX_LINE_LENGTH ? `${line.slice(0, MAX_LINE_LENGTH - 1)}…` : line);

/** How frames are shown. */
export interface CodeFrameOptions {
  /** Gives the text of a source file, by the name that places have; undefined where there is none. */
  readonly source: (file: string) => string | undefined;
  readonly style: Style;
  /** What a terminal has; where there is none, lines stay whole. */
  readonly columns?: number | undefined;
}

/** Columns that are taken up by what stands before a line's text, its number apart: signs, and by how much frames are put in. */
const GUTTER_WIDTH = 9;
/** A line that is cut shows so much of what stands before the mark. */
const CARET_POSITION_RATIO = 0.6;

/** The lines around a location, with the line and the word marked. On a terminal, a long line is cut around the word. */
export function codeFrame(place: SourceLocation, { source, style, columns }: CodeFrameOptions): string[] {
  // A workbook's bytes are no lines.
  const lines = place.sheet === undefined ? source(place.file)?.split('\n') : undefined;
  const line = lines?.[place.line - 1];
  // A line that no person wrote is no help.
  if (lines === undefined || line === undefined || line.length > MAX_LINE_LENGTH) return [];
  const first = Math.max(1, place.line - LINES_AROUND);
  const last = Math.min(lines.length, place.line + 1);
  const width = String(last).length;
  const room = columns === undefined ? MAX_LINE_LENGTH : Math.max(20, columns - GUTTER_WIDTH - width);
  const before = escapeToOneLine(line.slice(0, place.column - 1)).length;
  const marked = Math.max(1, wordLength(line, place.column));
  const from = before + marked < room ? 0 : before - Math.floor(room * CARET_POSITION_RATIO);
  const frame: string[] = [];
  for (let number = first; number <= last; number++) {
    const text = part(escapeToOneLine(cut((lines[number - 1] as string).replace(/\r$/, ''))), number === place.line ? from : 0, room);
    const label = String(number).padStart(width);
    if (number === place.line) {
      const at = before - from;
      const length = Math.min(marked, room - at);
      const head = `${style.red('▸')} ${style.bold(label)} │ `;
      // With colours the word itself is underlined, otherwise a line below marks it.
      if (style.colours) frame.push(`${head}${text.slice(0, at)}${style.markActual(text.slice(at, at + length))}${text.slice(at + length)}`);
      else frame.push(`${head}${text}`, `  ${' '.repeat(width)} │ ${' '.repeat(at)}${'▔'.repeat(length)}`);
    } else frame.push(style.dim(`  ${label} │ ${text}`));
  }
  return frame;
}

/** So many characters of a text from one on, with a sign where others are left out. */
function part(text: string, from: number, room: number): string {
  const kept = text.slice(from, from + room);
  const begun = from > 0 && text.length > 0 ? `…${kept.slice(1)}` : kept;
  return text.length > from + room ? `${begun.slice(0, -1)}…` : begun;
}

/** How far the name or the call at a column goes. */
const wordLength = (line: string, column: number): number => /^[\p{L}\p{N}_$]+/u.exec(line.slice(column - 1))?.[0].length ?? 1;
