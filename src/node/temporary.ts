import { join } from 'node:path';

/** What the environment calls the folder for what is for a while only: POSIX with an ending, Windows in two ways. */
const names = ['DIR', ''].map((ending) => `TMP${ending}`).concat('TEMP');

/** Where the system keeps what is for a while only: what the environment says, else its usual place. */
export function temporaryFolder(environment: Readonly<Record<string, string | undefined>> = process.env): string {
  const said = names.map((name) => environment[name]).find(Boolean);
  return said || (process.platform === 'win32' ? join(environment['SystemRoot'] ?? 'C:\\Windows', 'Temp') : '/tmp');
}
