/** A word as a POSIX shell takes it: quoted where it holds anything but harmless characters. */
export const shellWord = (text: string): string => (/^[\w./,=+:@%-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`);

/** The command that runs just this case again. */
export const formatRerunCommand = (id: string): string => `npx red-lattice run --id ${shellWord(id)}`;
