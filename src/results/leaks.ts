import type { Frame, SourceLocation } from '../problems/source-location.ts';

/** A resource that a case left open after all teardowns. */
export interface Leak {
  /** A description: `timer`, `server`, `socket`, `child process` … */
  readonly kind: string;
  /** The case after which it was found. Absent if cases overlapped. */
  readonly after: { readonly id: string; readonly title: string } | undefined;
  /** Where it was opened, if that was searched. */
  readonly location?: SourceLocation | undefined;
  readonly frames?: readonly Frame[] | undefined;
}

/** Leaks of one kind after one case, counted. */
export interface LeakCount {
  readonly kind: string;
  readonly count: number;
  readonly after: Leak['after'];
}

export function countLeaks(leaks: readonly Leak[]): LeakCount[] {
  const counts = new Map<string, LeakCount>();
  for (const { kind, after } of leaks) {
    const key = `${kind} ${after?.id ?? ''}`;
    counts.set(key, { kind, after, count: (counts.get(key)?.count ?? 0) + 1 });
  }
  return [...counts.values()];
}
