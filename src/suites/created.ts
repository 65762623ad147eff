let created: object[] | undefined;

/** Begins to note the suites and tests that are created, while files are loaded and planned. */
export function beginCreated(): void {
  created = [];
}

export function noteCreated(item: object): void {
  created?.push(item);
}

/** All that was created since, which ends the notes. */
export function endCreated(): readonly object[] {
  const all = created ?? [];
  created = undefined;
  return all;
}
