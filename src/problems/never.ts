/** The default of a switch over a union: a member that no case handles does not compile. Throws if a value of another kind gets here. */
export function assertNever(value: never): never {
  throw new TypeError(`unexpected ${JSON.stringify(value)}`);
}

/** Like `assertNever`, for data of another process: unknown values are ignored. */
export function ignoreUnknown(_value: never): void {}
