import type { SourceLocation } from '../../problems/source-location.ts';
import { measureWidth, sliceColumns } from '../columns.ts';
import { escapeToOneLine, type Style } from '../style.ts';

const LINES_AROUND = 2;
const MAX_LINE_LENGTH = 400;
const cut = (line: string): string => (line.length > MAX_LINE_LENGTH ? `${line.slice(0, MAX_LINE_LENGTH - 1)}…` : line);

/** Options for rendering frames. */
export interface CodeFrameOptions {
  /** Returns the text of a source file by its name in locations, or undefined. */
  readonly source: (file: string) => string | undefined;
  readonly style: Style;
  /** The width of the terminal. Undefined for other outputs: lines then stay whole. */
  readonly columns?: number | undefined;
}

/** The columns before a line's text, without its number: symbols and indentation. */
const GUTTER_WIDTH = 9;
/** The share of the visible part of a shortened line that is before the marked word. */
const CARET_POSITION_RATIO = 0.6;

/** Renders the lines around a location, with the line and the word marked. On a terminal, a long line is shortened around the word. */
export function renderCodeFrame(place: SourceLocation, { source, style, columns }: CodeFrameOptions): string[] {
  // A workbook has no lines to show.
  const lines = place.sheet === undefined ? source(place.file)?.split('\n') : undefined;
  const line = lines?.[place.line - 1];
  // A line of this length is generated code, which does not help.
  if (lines === undefined || line === undefined || line.length > MAX_LINE_LENGTH) return [];
  const first = Math.max(1, place.line - LINES_AROUND);
  const last = Math.min(lines.length, place.line + 1);
  const width = String(last).length;
  const room = columns === undefined ? MAX_LINE_LENGTH : Math.max(20, columns - GUTTER_WIDTH - width);
  const before = measureWidth(escapeToOneLine(line.slice(0, place.column - 1)));
  const marked = Math.max(1, measureWidth(findWord(line, place.column)));
  const from = before + marked < room ? 0 : before - Math.floor(room * CARET_POSITION_RATIO);
  const frame: string[] = [];
  for (let number = first; number <= last; number++) {
    const text = part(escapeToOneLine(cut((lines[number - 1] as string).replace(/\r$/, ''))), number === place.line ? from : 0, room);
    const label = String(number).padStart(width);
    if (number === place.line) {
      const at = before - from;
      const length = Math.min(marked, room - at);
      const head = `${style.red('▸')} ${style.bold(label)} │ `;
      // With colours, the word itself is underlined. Without them, a line below marks it.
      if (style.colours) {
        const [start, word] = [sliceColumns(text, 0, at), sliceColumns(text, at, length)];
        frame.push(`${head}${start}${style.markActual(word)}${text.slice(start.length + word.length)}`);
      } else frame.push(`${head}${text}`, `  ${' '.repeat(width)} │ ${' '.repeat(at)}${'▔'.repeat(length)}`);
    } else frame.push(style.dim(`  ${label} │ ${text}`));
  }
  return frame;
}

/** A part of a text, with an ellipsis at each end that is cut off. */
function part(text: string, from: number, room: number): string {
  const begun = from > 0 && text.length > 0 ? `…${sliceColumns(text, from + 1, room - 1)}` : sliceColumns(text, from, room);
  return measureWidth(text) > from + room ? `${sliceColumns(begun, 0, room - 1)}…` : begun;
}

/** The name or the call at a column. Empty if there is neither. */
const findWord = (line: string, column: number): string => /^[\p{L}\p{M}\p{N}_$]+/u.exec(line.slice(column - 1))?.[0] ?? '';
