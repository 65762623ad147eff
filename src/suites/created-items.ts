let created: object[] | undefined;

/** Starts to collect the suites and tests that are created, while files are loaded and planned. */
export function beginCreated(): void {
  created = [];
}

export function noteCreated(item: object): void {
  created?.push(item);
}

/** Stops collecting and returns what was created. */
export function endCreated(): readonly object[] {
  const all = created ?? [];
  created = undefined;
  return all;
}
