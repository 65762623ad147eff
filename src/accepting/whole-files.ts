import { diffLines } from '../checks/difference.ts';
import type { FileChange, Refusal } from './change.ts';
import { decodeText } from './text-encoding.ts';

/** A file that gets a whole new content. */
export interface WholeFile {
  readonly file: string;
  readonly content: Uint8Array;
  readonly isNew: boolean;
  readonly cases: readonly string[];
}

/** Chooses the new content of each file. Two cases that request different contents are refused. `read` returns the content of an attachment. */
export function chooseContents(
  changes: readonly FileChange[],
  read: (attachment: string) => Uint8Array,
): { readonly files: readonly WholeFile[]; readonly refused: readonly Refusal[] } {
  const byFile = new Map<string, { readonly content: Uint8Array; readonly isNew: boolean; readonly cases: string[]; isConflict: boolean }>();
  for (const { file, attachment, isNew, cases } of changes) {
    const content = read(attachment);
    const known = byFile.get(file);
    if (!known) byFile.set(file, { content, isNew, cases: [...cases], isConflict: false });
    else {
      known.cases.push(...cases);
      known.isConflict ||= !isSame(known.content, content);
    }
  }
  const all = [...byFile];
  return {
    files: all.flatMap(([file, { content, isNew, cases, isConflict }]) => (isConflict ? [] : [{ file, content, isNew, cases }])),
    refused: all.flatMap(([file, { cases, isConflict }]) => (isConflict ? [{ where: { file }, reason: 'tests want different contents', cases }] : [])),
  };
}

const isSame = (one: Uint8Array, other: Uint8Array): boolean => one.length === other.length && one.every((byte, i) => byte === other[i]);

/** A new content with the line endings and the byte order mark of the old one, if both are texts. */
export function keepLineEndings(before: Uint8Array | undefined, after: Uint8Array): Uint8Array {
  const old = before && decodeText(before);
  const text = decodeText(after)?.text;
  if (!old || text === undefined || text.includes('\r\n')) return after;
  const isWindows = old.text.includes('\r\n') && !/[^\r]\n/.test(old.text);
  const mark = old.text.startsWith('\uFEFF') && !text.startsWith('\uFEFF') ? '\uFEFF' : '';
  return isWindows || mark ? old.encode(mark + (isWindows ? text.replaceAll('\n', '\r\n') : text)) : after;
}

/** The lines that differ between two texts: `-` only in the old one, `+` only in the new one. Undefined if either is binary. */
export function describeLines(before: Uint8Array, after: Uint8Array): readonly string[] | undefined {
  const [old, text] = [decodeText(before)?.text, decodeText(after)?.text];
  if (old === undefined || text === undefined || `${old}${text}`.includes('\0')) return undefined;
  const signs = { both: ' ', actual: '+', expected: '-', omitted: ' ' } as const;
  return diffLines(text.replaceAll('\r\n', '\n'), old.replaceAll('\r\n', '\n')).map((line) => `${signs[line.side]} ${line.text}`);
}
