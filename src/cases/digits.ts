/** The most characters that `putDigits` writes. */
export const MAX_DIGITS = 12;
const ZERO = 48;
const POINT = 46;

/**
 * Writes a number as `String` shows it, in ASCII, and gives where it ends; -1 for a number that takes more care than digits.
 *
 * Whole numbers of 31 bits, and such with up to three decimals: of two decimals with so few digits no two are the same number, so
 * that this is the shortest one, too.
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

/** How many digits a whole number has: from its bits, of which each is worth some 1233 / 4096 digits, and one comparison. */
function countDigits(number: number): number {
  const fewest = ((32 - Math.clz32(number | 1)) * 1233) >> 12;
  return (number | 1) < (POWERS_OF_TEN[fewest] as number) ? fewest : fewest + 1;
}
