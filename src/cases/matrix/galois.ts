/** The field with q elements, q a power of a prime: the digits of the numbers 0 to q-1 to the base of the prime are coefficients. */
export interface Field {
  readonly size: number;
  add(a: number, b: number): number;
  multiply(a: number, b: number): number;
}

/** The prime and the exponent of a prime power. Undefined for other numbers. */
function findPrimePower(number: number): { prime: number; exponent: number } | undefined {
  let prime = 2;
  while (number % prime !== 0) prime++;
  let exponent = 0;
  for (let rest = number; rest > 1; rest /= prime, exponent++) if (rest % prime !== 0) return undefined;
  return { prime, exponent };
}

/** The smallest prime power that is at least a number. */
export function findPrimePowerFrom(number: number): number {
  let power = Math.max(2, number);
  while (!findPrimePower(power)) power++;
  return power;
}

/** Builds the field: polynomials over the prime, modulo an irreducible one that is found by trial. */
export function buildField(size: number): Field {
  const { prime, exponent } = findPrimePower(size) as { prime: number; exponent: number };
  const digits = (number: number): number[] => Array.from({ length: exponent }, (_, i) => Math.floor(number / prime ** i) % prime);
  const numberOf = (coefficients: readonly number[]): number => coefficients.reduce((sum, digit, i) => sum + digit * prime ** i, 0);
  const add = (a: number, b: number): number => {
    const [one, two] = [digits(a), digits(b)];
    return numberOf(one.map((digit, i) => (digit + (two[i] as number)) % prime));
  };
  /** `modulus` contains the lower coefficients of the monic polynomial. */
  const multiply = (a: number, b: number, modulus: readonly number[]): number => {
    const product = Array.from({ length: 2 * exponent - 1 }, () => 0);
    const two = digits(b);
    digits(a).forEach((x, i) => {
      two.forEach((y, j) => {
        product[i + j] = ((product[i + j] as number) + x * y) % prime;
      });
    });
    for (let top = product.length - 1; top >= exponent; top--) {
      const factor = product[top] as number;
      modulus.forEach((digit, i) => {
        const at = top - exponent + i;
        product[at] = ((product[at] as number) + (prime - 1) * factor * digit) % prime;
      });
    }
    return numberOf(product.slice(0, exponent));
  };
  for (let candidate = 0; candidate < size; candidate++) {
    const table = Array.from({ length: size }, (_, a) => Array.from({ length: size }, (_, b) => multiply(a, b, digits(candidate))));
    // In a field, the product of two non-zero numbers is never zero.
    const isField = table.every((row, a) => a === 0 || row.every((product, b) => b === 0 || product !== 0));
    if (isField) return { size, add, multiply: (a, b) => table[a]?.[b] as number };
  }
  throw new Error(`found no field with ${size} elements`);
}
