import type { Child } from 'red-lattice';

/** The office's test files, except those with fixtures that need Node: a server, a database in a folder. */
const files = import.meta.glob<Readonly<Record<string, Child>>>(['../../tests/*.lattice.ts', '!**/{service,storage}.lattice.ts'], { eager: true });

export const suites: readonly Child[] = Object.values(files).flatMap((exported) => Object.values(exported));

/** The folder of their data files. */
export const folder = new URL('/tests/', location.href);
