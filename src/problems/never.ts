/** The default of a switch over a union: a member that no case handles does not compile. Throws if a value of another kind gets here. */
export function assertNever(value: never): never {
  throw new TypeError(`unexpected ${JSON.stringify(value)}`);
}

/** The same for what another process wrote: a value of an unknown kind is ignored. */
export function ignoreUnknown(_value: never): void {}
