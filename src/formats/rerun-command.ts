import type { RerunSelection } from '../results/rerun-selection.ts';

/** A word for a POSIX shell, quoted if it contains special characters. */
export const shellWord = (text: string): string => (/^[\w./,=+:@%-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`);

/** Formats the command that runs one case again by its id. */
export const formatRerunOfId = (id: string): string => `npx red-lattice run --id ${shellWord(id)}`;

/** Formats the command that runs the cases of a selection again. */
export function formatRerunCommand({ file, line, options }: RerunSelection, nameFile: (file: string) => string): string {
  const place = line === undefined ? nameFile(file) : `${nameFile(file)}:${line}`;
  const args = options.flatMap(([name, value]) => (value === undefined ? [name] : [name, shellWord(value)]));
  return ['npx red-lattice run', shellWord(place), ...args].join(' ');
}
