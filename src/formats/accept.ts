import type { Refusal } from '../accepting/change.ts';
import type { FileChanges } from './human/accept.ts';

/** Formats accepted changes, or changes that would be accepted, as JSON. */
export function acceptedAsJson(files: readonly FileChanges[], refused: readonly Refusal[], isWritten: boolean, nameFile: (file: string) => string): string {
  const report = {
    written: isWritten,
    files: files.map(({ name, made, lines, cases }) => ({
      file: name,
      ...(lines && { whole: true, cases }),
      values: made.map(({ change, before, after }) => ({
        line: change.line,
        sheet: change.sheet,
        heading: change.heading,
        before,
        after,
        cases: change.cases,
      })),
    })),
    refused: refused.map(({ where, reason, cases }) => ({ ...where, file: nameFile(where.file), reason, cases })),
  };
  return `${JSON.stringify(report, null, 2)}\n`;
}
