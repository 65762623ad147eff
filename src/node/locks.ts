interface LockRequest {
  readonly owner: object;
  readonly names: readonly string[];
  readonly grant: () => void;
}

/**
 * Locks of a whole run. Several locks are granted together, so that requests cannot wait for each other in a circle. Overlapping requests
 * are granted in order, so that none waits forever.
 */
export class Locks {
  readonly #holders = new Map<string, object>();
  #wishes: LockRequest[] = [];

  ask(owner: object, names: readonly string[], grant: () => void): void {
    this.#wishes.push({ owner, names, grant });
    this.#grant();
  }

  release(owner: object, names: readonly string[]): void {
    for (const name of names) if (this.#holders.get(name) === owner) this.#holders.delete(name);
    this.#grant();
  }

  /** Releases everything that an owner held or requested, after its end. */
  forget(owner: object): void {
    for (const [name, holder] of this.#holders) if (holder === owner) this.#holders.delete(name);
    this.#wishes = this.#wishes.filter((wish) => wish.owner !== owner);
    this.#grant();
  }

  #grant(): void {
    const waitedFor = new Set<string>();
    const granted: LockRequest[] = [];
    this.#wishes = this.#wishes.filter((wish) => {
      const isFree = wish.names.every((name) => !this.#holders.has(name) && !waitedFor.has(name));
      for (const name of wish.names) {
        if (isFree) this.#holders.set(name, wish.owner);
        else waitedFor.add(name);
      }
      if (isFree) granted.push(wish);
      return !isFree;
    });
    for (const { grant } of granted) grant();
  }
}
