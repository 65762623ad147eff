/** The most characters that `putDigits` writes. */
export const mostDigits = 12;
const zero = 48;
const point = 46;

/**
 * Writes a number as `String` shows it, in ASCII, and gives where it ends; -1 for a number that takes more care than digits.
 *
 * Whole numbers of 31 bits, and such with up to three decimals: of two decimals with so few digits no two are the same number, so
 * that this is the shortest one, too.
 */
export function putDigits(bytes: Uint8Array, from: number, number: number): number {
  if ((number | 0) === number) return number > 0 ? putWhole(bytes, from, number) : Object.is(number, 0) ? putWhole(bytes, from, 0) : -1;
  const thousandths = (number * 1000 + 0.5) | 0;
  if (thousandths / 1000 !== number || thousandths < 0) return -1;
  const whole = (thousandths / 1000) | 0;
  let rest = thousandths - whole * 1000;
  let at = putWhole(bytes, from, whole);
  bytes[at++] = point;
  for (let unit = 100; rest > 0; unit /= 10) {
    const digit = (rest / unit) | 0;
    bytes[at++] = zero + digit;
    rest -= digit * unit;
  }
  return at;
}

export function putWhole(bytes: Uint8Array, from: number, number: number): number {
  const end = from + lengthOf(number);
  let rest = number;
  for (let at = end; at > from; ) {
    const tenth = (rest / 10) | 0;
    bytes[--at] = zero + rest - tenth * 10;
    rest = tenth;
  }
  return end;
}

function lengthOf(number: number): number {
  if (number < 10_000) return number < 100 ? (number < 10 ? 1 : 2) : number < 1000 ? 3 : 4;
  if (number < 10_000_000) return number < 100_000 ? 5 : number < 1_000_000 ? 6 : 7;
  return number < 100_000_000 ? 8 : number < 1_000_000_000 ? 9 : 10;
}
