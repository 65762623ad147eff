import { worstFirst } from '../../../src/results/status-strip.ts';
import { formatCell } from './row-columns.ts';
import type { Item, Store } from './store.ts';

/** A completion of the last word of a filter. */
export interface Completion {
  /** The whole word. */
  readonly word: string;
  readonly note: string;
}

const MAX_SHOWN = 8;
/** The number of cases that are read for columns and values. More would slow down typing. */
const MAX_READ = 5000;

interface Vocabulary {
  readonly tags: ReadonlyMap<string, number>;
  /** The worst status first. */
  readonly statuses: ReadonlyMap<string, number>;
  /** The values of each column, with the number of their cases. */
  readonly columns: ReadonlyMap<string, ReadonlyMap<string, number>>;
}

/** Collects the words that a filter can contain. */
export function collectVocabulary({ items, state }: Store): Vocabulary {
  const tags = new Map<string, number>();
  const columns = new Map<string, Map<string, number>>();
  for (const { result } of items.length > MAX_READ ? sample(items) : items) {
    for (const tag of result.tags) tags.set(tag, (tags.get(tag) ?? 0) + 1);
    for (const [column, value] of Object.entries(result.row)) {
      if (typeof value === 'object' && value !== null) continue;
      let values = columns.get(column);
      if (!values) columns.set(column, (values = new Map()));
      const text = formatCell(value);
      values.set(text, (values.get(text) ?? 0) + 1);
    }
  }
  return { tags, columns, statuses: new Map(worstFirst.flatMap((status) => (state.counts[status] > 0 ? [[status, state.counts[status]]] : []))) };
}

const sample = (items: readonly Item[]): readonly Item[] => {
  const step = Math.ceil(items.length / MAX_READ);
  return items.filter((_, i) => i % step === 0);
};

/** Completions of the last word of a text. None for a text that ends with a blank. */
export function completeFilter(text: string, { tags, statuses, columns }: Vocabulary): readonly Completion[] {
  const word = /(\S+)$/.exec(text)?.[1];
  if (word === undefined || word.startsWith('"')) return [];
  const after = (prefix: string, values: ReadonlyMap<string, number>): Completion[] =>
    [...values].map(([value, count]) => ({ word: `${prefix}${value}`, note: count.toLocaleString('en') }));
  const [, column, operator] = /^([^=<>!~]+)(=|>=|<=|>|<|!=)/.exec(word) ?? [];
  const all =
    column !== undefined && operator !== undefined
      ? after(`${column}${operator}`, byCount(columns.get(column)))
      : [
          ...after('status:', statuses),
          ...after('tag:', byCount(tags)),
          ...[...columns].map(([name, values]) => ({ word: `${name}=`, note: `column, ${values.size.toLocaleString('en')} values` })),
        ];
  return all
    .filter(({ word: whole }) => whole !== word && !/\s/.test(whole) && whole.toLowerCase().startsWith(word.toLowerCase()))
    .concat(column === undefined ? all.filter(({ word: whole }) => !/\s/.test(whole) && includesAfterPrefix(whole, word)) : [])
    .slice(0, MAX_SHOWN);
}

const byCount = (values: ReadonlyMap<string, number> = new Map()): ReadonlyMap<string, number> => new Map([...values].sort(([, a], [, b]) => b - a));

/** Whether the part after `status:` or `tag:` starts with a word: `fai` finds `status:failed`. */
const includesAfterPrefix = (whole: string, word: string): boolean => {
  const at = whole.indexOf(':');
  return (
    at > 0 &&
    whole
      .slice(at + 1)
      .toLowerCase()
      .startsWith(word.toLowerCase())
  );
};
