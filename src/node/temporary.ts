import { join } from 'node:path';

/** Where the system keeps what is for a while only: what the environment says, else its usual place. */
export function temporaryFolder({ TMPDIR, TMP, TEMP, SystemRoot }: Readonly<Record<string, string | undefined>> = process.env): string {
  return TMPDIR || TMP || TEMP || (process.platform === 'win32' ? join(SystemRoot ?? 'C:\\Windows', 'Temp') : '/tmp');
}
