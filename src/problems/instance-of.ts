/** Like `instanceof`, but false for values that cannot be inspected, such as revoked proxies. */
export function isInstanceOf<T>(value: unknown, type: abstract new (...args: any[]) => T): value is T {
  try {
    return value instanceof type;
  } catch {
    return false;
  }
}

/** Describes a thrown value of any type in a few words. */
export function describeThrown(error: unknown): string {
  try {
    return String(error);
  } catch {
    return 'a value that cannot be inspected';
  }
}
