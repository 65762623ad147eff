import { findNearestName } from '../problems/nearest-name.ts';
import type { Group, Plan } from './planned.ts';
import type { Selection } from './selection.ts';

/** Suggests names for those of a selection that do not occur in the plan, each as the option to write: `--tag money`. */
export function suggestSelections({ titles = [], tags = [], rows = [] }: Selection, plan: Plan): string[] {
  const suggestions: string[] = [];
  const suggest = (option: string, name: string, known: ReadonlySet<string>, rest = ''): void => {
    const near = known.has(name) ? undefined : findNearestName(name, known);
    if (near !== undefined) suggestions.push(`${option} ${quoted(`${near}${rest}`)}`);
  };
  if (titles.length > 0) {
    const known = collectTitles(plan);
    const isFound = (text: string): boolean => [...known].some((title) => title.toLowerCase().includes(text.toLowerCase()));
    for (const text of titles) if (!text.startsWith('/') && !isFound(text)) suggest('--title', text, splitTitles(known, text.split(' ').length));
  }
  const knownTags = new Set(plan.tests.flatMap(({ inherited }) => inherited.annotations.tags ?? []));
  for (const tag of tags) suggest('--tag', tag, knownTags);
  const columns = new Set(plan.tests.flatMap((test) => test.columns));
  for (const { column, operator, value } of rows) suggest('--row', column, columns, `${operator}${value}`);
  return suggestions;
}

const quoted = (text: string): string => (/^[\w=.-]+$/.test(text) ? text : `"${text}"`);

function collectTitles(plan: Plan): Set<string> {
  const titles = new Set<string>();
  for (const { title, parent } of plan.tests) {
    titles.add(title.template);
    for (let group: Group | undefined = parent; group?.kind === 'suite'; group = group.parent) titles.add(group.title);
  }
  return titles;
}

/** The titles, and every sequence of `words` words in them. */
function splitTitles(titles: ReadonlySet<string>, words: number): Set<string> {
  const parts = new Set(titles);
  for (const title of titles) {
    const all = title.split(' ');
    for (let at = 0; at + words <= all.length; at++) parts.add(all.slice(at, at + words).join(' '));
  }
  return parts;
}
