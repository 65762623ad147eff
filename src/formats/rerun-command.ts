import type { RerunSelection } from '../results/rerun-selection.ts';

/** A word as a POSIX shell takes it: quoted where it holds anything but harmless characters. */
export const shellWord = (text: string): string => (/^[\w./,=+:@%-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`);

/** The command that runs just this case again: by its line and its row, or by its id. */
export function formatRerunCommand(id: string, selection: RerunSelection | undefined, nameFile: (file: string) => string): string {
  if (selection === undefined) return `npx red-lattice run --id ${shellWord(id)}`;
  const { file, line, rows } = selection;
  return ['npx red-lattice run', shellWord(`${nameFile(file)}:${line}`), ...rows.map((row) => `--row ${shellWord(row)}`)].join(' ');
}
