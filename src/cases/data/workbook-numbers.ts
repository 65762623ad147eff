/** What a number in a workbook represents. */
export type NumberKind = 'number' | 'date' | 'time';

/** Built-in formats: ISO/IEC 29500-1, 18.8.30, with those of East Asian locales. */
export function classifyBuiltInFormat(format: number): NumberKind {
  if ((format >= 18 && format <= 21) || (format >= 45 && format <= 47)) return 'time';
  return (format >= 14 && format <= 17) || format === 22 || (format >= 27 && format <= 36) || (format >= 50 && format <= 58) ? 'date' : 'number';
}

/** Removes literal texts, colours and locales from a format code. The remaining letters determine what it shows. */
export function classifyNumberFormat(code: string): NumberKind {
  const letters = code.replace(/"[^"]*"|\\.|_.|\*./g, '').replace(/\[(?!h+\]|m+\]|s+\])[^\]]*\]/gi, '');
  if (/[dy]/i.test(letters)) return 'date';
  if (/[hs]/i.test(letters)) return 'time';
  return /m/i.test(letters) ? 'date' : 'number';
}

/** The serial number of 1970-01-01 in workbooks that count days from 1900, and from 1904. */
const EPOCH_1900 = 25_569;
const EPOCH_1904 = 24_107;
const DAY_MS = 86_400_000;
/** The serial number of a day that does not exist: the 29th of February 1900. */
const LEAP_DAY_1900 = 60;

/**
 * Formats a serial day as an ISO date, and a fraction of a day as a time. Days are counted from 1900 or 1904; workbooks treat 1900 as a
 * leap year (ISO/IEC 29500-1, 18.17.4).
 */
export function formatSerialDate(serial: number, kind: NumberKind, from1904: boolean): string {
  const days = from1904 ? serial - EPOCH_1904 : serial < LEAP_DAY_1900 ? serial - (EPOCH_1900 - 1) : serial - EPOCH_1900;
  const at = new Date(Math.round(days * DAY_MS));
  if (Number.isNaN(at.getTime())) return String(serial);
  const iso = at.toISOString();
  if (kind === 'time' && serial < 1) return iso.slice(11, 19);
  return iso.endsWith('T00:00:00.000Z') ? iso.slice(0, 10) : iso.replace('.000Z', 'Z');
}

/** The serial day of a time in milliseconds since 1970: the inverse of `formatSerialDate`. */
export function toSerialDate(milliseconds: number, from1904: boolean): number {
  const days = milliseconds / DAY_MS;
  if (from1904) return days + EPOCH_1904;
  return days + EPOCH_1900 > LEAP_DAY_1900 ? days + EPOCH_1900 : days + EPOCH_1900 - 1;
}
