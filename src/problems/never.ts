/** The default of a switch over a union: an unhandled member is a compile-time error. Throws if a value of another type arrives at run time. */
export function assertNever(value: never): never {
  throw new TypeError(`unexpected ${JSON.stringify(value)}`);
}

/** Like `assertNever`, for data from another process: unknown values are ignored. */
export function ignoreUnknown(_value: never): void {}
