import type { RowCondition } from '../../suites/row-condition.ts';
import type { Selection } from '../../suites/selection.ts';
import { escapeToOneLine } from '../style.ts';

const joinAlternatives = (texts: readonly string[]): string => texts.map((text) => `"${escapeToOneLine(text)}"`).join(' or ');
const formatRowCondition = ({ column, operator, value }: RowCondition): string => `${column}${operator}${value}`;

/** Explains why no case was selected: the conditions that a case must meet, as given in `where` and the selection, and suggestions. */
export function explainNothingSelected(
  { targets, titles, tags, notTags, ids, rows, shard }: Selection,
  where: readonly string[],
  suggestions: readonly string[] = [],
): string {
  const conditions = [
    targets?.length && `is in ${joinAlternatives(where)}`,
    titles?.length && `has ${joinAlternatives(titles)} in its title`,
    tags?.length && `has the tag ${joinAlternatives(tags)}`,
    notTags?.length && `lacks the tag ${joinAlternatives(notTags)}`,
    ids?.length && (ids.length > 3 ? `has one of ${ids.length} ids` : `has the id ${joinAlternatives(ids)}`),
    ids?.length === 0 && 'failed last time',
    rows?.length && `has ${escapeToOneLine(rows.map(formatRowCondition).join(' and '))} in its row`,
    shard && `is in part ${shard.index} of ${shard.of}`,
  ].filter((text): text is string => typeof text === 'string');
  const instead = suggestions.length ? `; did you mean ${suggestions.map(escapeToOneLine).join(' or ')}?` : '';
  return `no case was selected${conditions.length ? `: none ${conditions.join(' and ')}` : ''}${instead}`;
}

/** Explains why a recorded run selected no case. The files and folders are those of its selection. */
export function explainEmptyRecord(selection: Selection = {}, nameFile: (file: string) => string): string {
  const where = (selection.targets ?? []).map(({ url, line }) => `${nameFile(url)}${line === undefined ? '' : `:${line}`}`);
  return explainNothingSelected({ ...selection, shard: undefined }, where);
}
