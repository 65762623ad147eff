import { closeSync, mkdirSync, openSync, renameSync, rmSync, writeSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { reportAsPage } from '../formats/page.ts';
import { findFormat, type ReportFormat, reportFormats } from '../formats/report-formats.ts';
import { findRoot } from '../node/find-files.ts';
import { pageHead, pageLines, pageTemplate } from '../node/page-lines.ts';
import { type OpenedRecord, openRecord } from '../node/recorded.ts';
import type { CommandContext } from './command-context.ts';
import type { DisplayOptions } from './display-options.ts';
import { printRecord } from './print-record.ts';
import { createFormatting, failWith, type Terminal } from './terminal.ts';

export interface ReportOptions extends DisplayOptions {
  readonly format?: ReportFormat;
  /** A file to write instead of standard output. */
  readonly o?: string;
}

/** Prints a record as text, or writes it in another format. */
export async function reportCommand(name: string, options: ReportOptions, { folder, terminal }: CommandContext): Promise<number> {
  const root = findRoot(folder);
  const record = openRecord(name, root, folder);
  if (typeof record === 'string') return failWith(terminal, record);
  const format = options.format ?? (options.o === undefined ? undefined : findFormat(options.o));
  if (format === undefined && options.o !== undefined)
    return failWith(terminal, `${options.o} has no known extension. Set --format to one of ${reportFormats.join(', ')}.`);
  if (format === undefined) printRecord(record, root, options, terminal);
  else if (options.o === undefined) await writeAs(format, record, root, terminal.style, (text) => terminal.writeRaw(text));
  else {
    const path = resolve(folder, options.o);
    await toFile(path, (write) => writeAs(format, record, root, terminal.style, write));
    terminal.error(`Wrote ${options.o}`);
  }
  return 0;
}

/** Writes a record in a format, in chunks. */
export async function writeAs(
  format: ReportFormat,
  record: OpenedRecord,
  root: string,
  style: Terminal['style'],
  write: (text: string) => void,
): Promise<void> {
  const { nameFile, source } = createFormatting(record.info.root ?? root, { style }, root);
  if (format === 'html') {
    for (const chunk of reportAsPage(pageTemplate(), pageHead(record, root), pageLines(record, nameFile, source))) write(chunk);
    return;
  }
  const { writeReport } = await import('../formats/report.ts');
  for await (const chunk of writeReport(format, record, nameFile)) write(chunk);
}

/** Replaces a file when the new content is complete. Creates missing folders. */
async function toFile(path: string, make: (write: (text: string) => void) => Promise<void>): Promise<void> {
  const unfinished = `${path}.unfinished`;
  mkdirSync(dirname(path), { recursive: true });
  const file = openSync(unfinished, 'w');
  try {
    await make((text) => {
      const bytes = Buffer.from(text);
      for (let at = 0; at < bytes.length; ) at += writeSync(file, bytes, at);
    });
    closeSync(file);
    renameSync(unfinished, path);
  } catch (error) {
    rmSync(unfinished, { force: true });
    throw error;
  }
}
