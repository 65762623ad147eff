/** Which sources import which files, as URLs: what a run has read, and what a watch runs again. */
export class ImportGraph {
  readonly #imports = new Map<string, Set<string>>();

  /** Notes that a source depends on another file. */
  track(from: string, url: string): void {
    this.#imports.set(from, (this.#imports.get(from) ?? new Set()).add(url));
  }

  has(from: string, url: string): boolean {
    return this.#imports.get(from)?.has(url) === true;
  }

  /** A source and all that it reaches through imports, but for what is in packages. */
  reachedFrom(url: string): string[] {
    const reached = new Set([url]);
    for (const at of reached) for (const next of this.#imports.get(at) ?? []) reached.add(next);
    return [...reached];
  }
}

/** Whether a file belongs to the project, and not to an installed package. */
export const isOfProject = (url: string): boolean => url.startsWith('file:') && !url.includes('/node_modules/');
