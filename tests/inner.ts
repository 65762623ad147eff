import { type CaseResult, type Child, type FileSource, formatProblem, type PlannedCase, type Problem, ProblemError, runSuites } from 'red-lattice';

/** The results of the cases of a run within a test. */
export interface Seen {
  readonly id: string;
  readonly title: string;
  readonly tags: readonly string[];
  readonly row: Readonly<Record<string, unknown>>;
  readonly status: string;
  readonly result: CaseResult;
}

export interface InnerRun {
  readonly seen: readonly Seen[];
  /** Status with cause by title. */
  readonly statuses: Readonly<Record<string, string>>;
  readonly messages: readonly string[];
  readonly ok: boolean;
}

type Options = Omit<NonNullable<Parameters<typeof runSuites>[1]>, 'onEvent'>;

/** Runs suites within a test. Returns what happened. */
export async function runInside(suites: readonly Child[], options: Options = {}): Promise<InnerRun> {
  const seen: Seen[] = [];
  const messages: string[] = [];
  const add = (planned: Pick<PlannedCase, 'id' | 'title' | 'tags' | 'row'>, result: CaseResult): void => {
    const status = result.cause ? `${result.status}/${result.cause}` : result.status;
    seen.push({ id: planned.id, title: planned.title, tags: planned.tags, row: planned.row, status, result });
  };
  const { ok } = await runSuites(suites, {
    seed: 1,
    ...options,
    onEvent(event) {
      if (event.type === 'ended') add(event.case, event.result);
      if (event.type === 'teardown-failed') add({ id: event.id, title: event.title, tags: [], row: {} }, event.result);
      if (event.type === 'problem') messages.push(event.problem.code);
    },
  });
  return { seen, messages, ok, statuses: Object.fromEntries(seen.map(({ title, status }) => [title, status])) };
}

/** The messages of all plan errors. */
export async function refusal(suites: () => readonly Child[], options: Options = {}): Promise<string> {
  const problems = await problemsOf(suites, options);
  return problems.length === 0 ? 'nothing refused' : problems.map((problem) => formatProblem(problem)).join('\n');
}

/** The same, each with its line and column. */
export async function refusalsAt(suites: () => readonly Child[], options: Options = {}): Promise<string[]> {
  const problems = await problemsOf(suites, options);
  return problems.map((problem) => `${problem.at?.line}:${problem.at?.column} ${formatProblem(problem)}`);
}

async function problemsOf(suites: () => readonly Child[], options: Options): Promise<readonly Problem[]> {
  try {
    await runSuites(suites(), options);
    return [];
  } catch (error) {
    if (error instanceof ProblemError) return error.problems;
    throw error;
  }
}

/** Files that exist only here, under `memory:/`, split into chunks of a few bytes. */
export function memoryFiles(texts: Readonly<Record<string, string | Uint8Array>>, pieceSize?: number): { files: FileSource; base: URL } {
  const base = new URL('file:///memory/');
  return {
    base,
    files: {
      async *read(url) {
        const text = texts[decodeURIComponent(url.pathname.replace('/memory/', ''))];
        const bytes = typeof text === 'string' ? new TextEncoder().encode(text) : (text ?? new Uint8Array());
        // Small chunks break at every character; for a large text they would take too long.
        const size = pieceSize ?? (bytes.length > 100_000 ? 50_000 : 7);
        for (let at = 0; at < bytes.length; at += size) yield bytes.slice(at, at + size);
      },
      async list(folder) {
        const path = decodeURIComponent(folder.pathname.replace('/memory/', ''));
        return Object.keys(texts)
          .filter((name) => name.startsWith(path))
          .map((name) => name.slice(path.length));
      },
    },
  };
}
