import { fileURLToPath } from 'node:url';
import type { Terminal } from '../../src/command/terminal.ts';
import { plainStyle } from '../../src/formats/style.ts';
import { type OpenedRecord, openRecord } from '../../src/node/recorded.ts';
import { compare } from '../../src/results/compare.ts';
import { root } from '../program.ts';

/** Two records of one project, with outcomes of every kind. */
export const recordsFolder = fileURLToPath(new URL('.', import.meta.url));
const open = (name: string): OpenedRecord => openRecord(`${name}.jsonl`, root, recordsFolder) as OpenedRecord;
export const earlier = (): OpenedRecord => open('earlier');
export const later = (): OpenedRecord => open('later');

type Comparison = readonly [compared: ReturnType<typeof compare>, before: OpenedRecord, after: OpenedRecord];

export const compareRecords = (before: OpenedRecord, after: OpenedRecord): Comparison => [compare(before.entries, after.entries), before, after];

export async function readAll(parts: Iterable<string> | AsyncIterable<string>): Promise<string> {
  let text = '';
  for await (const part of parts) text += part;
  return text;
}

/** Returns the text that `write` prints on a terminal. */
export function print(write: (terminal: Terminal) => void, { style = plainStyle, width = 100 } = {}): string {
  const lines: string[] = [];
  const out = (line: string): void => void lines.push(line);
  write({ out, writeRaw: out, error: out, style, live: undefined, width });
  return `${lines.join('\n')}\n`;
}
