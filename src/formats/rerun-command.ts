import type { RerunSelection } from '../results/rerun-selection.ts';

/** A word as a POSIX shell takes it: quoted where it holds anything but harmless characters. */
export const shellWord = (text: string): string => (/^[\w./,=+:@%-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`);

/** Formats the command that runs one case again: by line and row, or by its id. */
export function formatRerunCommand(id: string, selection: RerunSelection | undefined, nameFile: (file: string) => string): string {
  if (selection === undefined) return `npx red-lattice run --id ${shellWord(id)}`;
  const { file, line, options } = selection;
  const place = line === undefined ? nameFile(file) : `${nameFile(file)}:${line}`;
  const words = options.flatMap(([name, value]) => (value === undefined ? [name] : [name, shellWord(value)]));
  return ['npx red-lattice run', shellWord(place), ...words].join(' ');
}
