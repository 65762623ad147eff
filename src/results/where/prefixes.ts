/** Several adjacent sorted texts, from `low` to `high`, with a prefix that no other text has. */
export interface PrefixGroup {
  readonly low: number;
  readonly high: number;
  /** The shortest prefix that only they have. */
  readonly prefix: string;
}

const MAX_PREFIX_LENGTH = 24;

/**
 * The groups of sorted texts that share a prefix, except the group of all texts. Each group is an inner node of the tree of all texts; the
 * nodes are found in one pass over the lengths of the prefixes that neighbours share (T. Kasai and others, 2001).
 */
export function findPrefixGroups(sorted: readonly string[]): PrefixGroup[] {
  const groups: PrefixGroup[] = [];
  /** The groups that contain the current text, from the widest. `outer` is the length that it shares with texts before the group. */
  const open: { readonly low: number; readonly shared: number }[] = [{ low: 0, shared: 0 }];
  for (let at = 1; at <= sorted.length; at++) {
    const shared = at < sorted.length ? measureSharedLength(sorted[at - 1] as string, sorted[at] as string) : 0;
    let low = at - 1;
    while ((open.at(-1) as { shared: number }).shared > shared) {
      const group = open.pop() as { low: number; shared: number };
      low = group.low;
      const outer = Math.max(shared, (open.at(-1) as { shared: number }).shared);
      const prefix = findShortestPrefix(sorted[low] as string, outer + 1, group.shared);
      if (prefix !== undefined && (low > 0 || at < sorted.length)) groups.push({ low, high: at - 1, prefix });
    }
    if ((open.at(-1) as { shared: number }).shared < shared) open.push({ low, shared });
  }
  return groups;
}

/** A prefix with a length in bounds that does not end within a character. */
function findShortestPrefix(text: string, shortest: number, longest: number): string | undefined {
  const isHalf = (text.charCodeAt(shortest - 1) & 0xfc00) === 0xd800;
  const length = isHalf ? shortest + 1 : shortest;
  return length <= Math.min(longest, MAX_PREFIX_LENGTH) ? text.slice(0, length) : undefined;
}

function measureSharedLength(a: string, b: string): number {
  const end = Math.min(a.length, b.length, MAX_PREFIX_LENGTH);
  let length = 0;
  while (length < end && a.charCodeAt(length) === b.charCodeAt(length)) length++;
  return length;
}
