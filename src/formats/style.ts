import picocolors from 'picocolors';
import { formatThousands } from '../problems/format-thousands.ts';
import type { Status } from '../running/result.ts';

const { createColors } = picocolors;

/** Colours and weights for a terminal. Each is a function of a text, which returns it unchanged if colours are off. */
export interface Style {
  readonly colours: boolean;
  readonly bold: (text: string) => string;
  readonly dim: (text: string) => string;
  readonly red: (text: string) => string;
  readonly green: (text: string) => string;
  readonly yellow: (text: string) => string;
  readonly cyan: (text: string) => string;
  /** Highlight differences in the actual value, and in the expected one. */
  readonly markActual: (text: string) => string;
  readonly markExpected: (text: string) => string;
}

const same = (text: string): string => text;
const colours = createColors(true);

export const plainStyle: Style = {
  colours: false,
  bold: same,
  dim: same,
  red: same,
  green: same,
  yellow: same,
  cyan: same,
  markActual: same,
  markExpected: same,
};

export const colourStyle: Style = {
  ...colours,
  colours: true,
  markActual: (text) => colours.bold(colours.underline(colours.red(text))),
  markExpected: (text) => colours.bold(colours.underline(colours.green(text))),
};

/** Shows control characters of tests and data instead of sending them to the terminal. Line breaks stay. */
export const escapeControls = (text: string): string =>
  text.replace(/[\u0000-\u0009\u000b-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2066-\u2069]/g, (character) =>
    character === '\t'
      ? '  '
      : character < ' '
        ? String.fromCharCode(0x2400 + character.charCodeAt(0))
        : `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );

/** The same, on one line. */
export const escapeToOneLine = (text: string): string => escapeControls(text).replaceAll('\n', '␊');

export const formatCount = (n: number, one: string, many = `${one}s`): string => `${formatThousands(n)} ${n === 1 ? one : many}`;

/** Formats a duration: `0.4 ms`, `12 ms`, `3.1 s`, `2 min 5 s`. */
export function formatDuration(milliseconds: number): string {
  if (milliseconds < 9.95) return `${milliseconds.toFixed(1)} ms`;
  if (milliseconds < 999.5) return `${Math.round(milliseconds)} ms`;
  if (milliseconds < 59_950) return `${(milliseconds / 1000).toFixed(1)} s`;
  const seconds = Math.round(milliseconds / 1000);
  return `${Math.floor(seconds / 60)} min ${seconds % 60} s`;
}

/** Formats a status in words: `known failure`. */
export const formatStatus = (status: Status): string => status.replaceAll('-', ' ');

/** One symbol per status. */
export const statusSymbols: Readonly<Record<Status, string>> = {
  passed: '▪',
  failed: '✗',
  errored: '!',
  skipped: '▫',
  'not-requested': '◦',
  'known-failure': '≈',
  'not-run': '?',
};
