/** The imports of each source, as URLs: for the files that a run has read, and for `--watch`. */
export class ImportGraph {
  readonly #imports = new Map<string, Set<string>>();

  /** Records that a source depends on another file. */
  track(from: string, url: string): void {
    this.#imports.set(from, (this.#imports.get(from) ?? new Set()).add(url));
  }

  has(from: string, url: string): boolean {
    return this.#imports.get(from)?.has(url) === true;
  }

  /** Returns a source and all files that it imports, directly or not, except those of packages. */
  reachedFrom(url: string): string[] {
    const reached = new Set([url]);
    for (const at of reached) for (const next of this.#imports.get(at) ?? []) reached.add(next);
    return [...reached];
  }
}

/** Whether a file belongs to the project, and not to an installed package. */
export const isOfProject = (url: string): boolean => url.startsWith('file:') && !url.includes('/node_modules/');
