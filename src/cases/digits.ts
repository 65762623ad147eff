/** The maximum number of characters that `writeDigits` writes. */
export const MAX_DIGITS = 12;
const ZERO = 48;
const POINT = 46;

/**
 * Writes a number in ASCII as `String` formats it, and returns the end position; -1 for numbers that need more than digits.
 *
 * Supports integers of 31 bits, and such numbers with up to three decimals: no two decimals with so few digits are the same number, so that
 * this text is also the shortest.
 */
export function writeDigits(bytes: Uint8Array, from: number, number: number): number {
  if ((number | 0) === number) return number > 0 ? writeWholeDigits(bytes, from, number) : Object.is(number, 0) ? writeWholeDigits(bytes, from, 0) : -1;
  const thousandths = (number * 1000 + 0.5) | 0;
  if (thousandths / 1000 !== number || thousandths < 0) return -1;
  const whole = (thousandths / 1000) | 0;
  let rest = thousandths - whole * 1000;
  let at = writeWholeDigits(bytes, from, whole);
  bytes[at++] = POINT;
  for (let unit = 100; rest > 0; unit /= 10) {
    const digit = (rest / unit) | 0;
    bytes[at++] = ZERO + digit;
    rest -= digit * unit;
  }
  return at;
}

export function writeWholeDigits(bytes: Uint8Array, from: number, number: number): number {
  const end = from + countDigits(number);
  let rest = number;
  for (let at = end; at > from; ) {
    const tenth = (rest / 10) | 0;
    bytes[--at] = ZERO + rest - tenth * 10;
    rest = tenth;
  }
  return end;
}

const POWERS_OF_TEN = Float64Array.from({ length: 11 }, (_, power) => 10 ** power);

/** Counts the digits of an integer: each bit is worth about 1233 / 4096 digits, and one comparison corrects the result. */
function countDigits(number: number): number {
  const minDigits = ((32 - Math.clz32(number | 1)) * 1233) >> 12;
  return (number | 1) < (POWERS_OF_TEN[minDigits] as number) ? minDigits : minDigits + 1;
}
