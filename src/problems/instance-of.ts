/** Like `instanceof`, and false for what cannot be looked at: tests throw whatever they like, a revoked proxy among it. */
export function isInstanceOf<T>(value: unknown, type: abstract new (...args: any[]) => T): value is T {
  try {
    return value instanceof type;
  } catch {
    return false;
  }
}
