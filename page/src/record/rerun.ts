import { formatRerunCommand, formatRerunOfId } from '../../../src/formats/rerun-command.ts';
import { RerunSelections } from '../../../src/results/rerun-selection.ts';
import type { Item, Store } from './store.ts';

/** Formats the command that runs a case again. Files in the page are relative to the project's root. */
export function rerunCommandOf({ info, live, tests }: Store, { result }: Item): string {
  const extent = live || !info ? {} : info;
  const selections = new RerunSelections(tests, (test) => tests.get(test)?.items.map((item) => item.result.row), extent);
  const selection = selections.find(result);
  return selection ? formatRerunCommand(selection, (file) => file) : formatRerunOfId(result.id);
}
