import type { RecordedResult } from '../results/recorded-result.ts';
import { shellWord } from './rerun-command.ts';

/** Whether a failed case computed values that `accept` can write. */
export const isAcceptable = ({ status, failures }: Pick<RecordedResult, 'status' | 'failures'>): boolean =>
  status === 'failed' &&
  failures.some(
    ({ columns, tableRow, differingFile }) =>
      differingFile !== undefined || tableRow !== undefined || (columns ?? []).some(({ reason }) => reason === undefined),
  );

/** The command that writes what a failed case computed: for its row in a data file, or else for its id. Undefined if nothing can be written. */
export function formatAcceptCommand(
  result: Pick<RecordedResult, 'id' | 'status' | 'failures' | 'location'>,
  nameFile: (file: string) => string = (file) => file,
): string | undefined {
  if (!isAcceptable(result)) return undefined;
  const { location, failures, id } = result;
  const isRow = location !== undefined && failures.every(({ tableRow, differingFile }) => !tableRow && !differingFile);
  return `npx red-lattice accept ${isRow ? shellWord(`${nameFile(location.file)}:${location.line}`) : `--id ${shellWord(id)}`}`;
}
