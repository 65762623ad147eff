import { formatRerunCommand } from '../../../src/formats/rerun-command.ts';
import { hasWholeTests, RerunSelections } from '../../../src/results/rerun-selection.ts';
import type { Item, Store } from './store.ts';

/** The command that runs a case again. Files are named in the page as they are from the project's root. */
export function rerunCommandOf(store: Store, { result }: Item): string {
  const { info, live, tests } = store;
  const hasRows = info !== undefined && !live && hasWholeTests(info);
  const selections = new RerunSelections(tests, (test) => (hasRows ? tests.get(test)?.items.map((item) => item.result.row) : undefined));
  return formatRerunCommand(result.id, selections.find(result), (file) => file);
}
