import { type Child, runSuites } from 'red-lattice';
import * as berths from '../../examples/harbour-office/tests/berths.lattice.ts';
import * as bookings from '../../examples/harbour-office/tests/bookings.lattice.ts';
import * as days from '../../examples/harbour-office/tests/days.lattice.ts';
import * as draft from '../../examples/harbour-office/tests/draft.lattice.ts';
import * as dues from '../../examples/harbour-office/tests/dues.lattice.ts';
import * as nextEdition from '../../examples/harbour-office/tests/next-edition.lattice.ts';
import * as prices from '../../examples/harbour-office/tests/prices.lattice.ts';
import * as tides from '../../examples/harbour-office/tests/tides.lattice.ts';
import { memoryFiles } from '../inner.ts';

/** Files that need Node, and do not run in a page. */
export const excluded = {
  'service.lattice.ts': 'it starts an HTTP server and a database of files',
  'storage.lattice.ts': 'its fixtures share a database that is migrated in a process of its own',
};

/** The files that the suites read, from the folder of the tests. */
export const dataFiles = ['data/dues.csv', 'data/tides.jsonl', 'data/prices.xlsx', 'data/dues-2032.csv', 'notices/dues-2032.txt'];

/** Runs the harbour office's suites here, including the draft's. Returns each case's id, status and failure messages. */
export async function harbourOutcome(contents: Readonly<Record<string, Uint8Array>>): Promise<string[]> {
  const lines: string[] = [];
  const suites = [berths, bookings, days, draft, dues, nextEdition, prices, tides].flatMap((module) => Object.values(module) as Child[]);
  const { counts } = await runSuites(suites, {
    seed: 1,
    ...memoryFiles(contents, 4096),
    onEvent(event) {
      if (event.type !== 'ended') return;
      const { status, failures } = event.result;
      lines.push(
        [event.case.id, event.case.title, status, ...failures.map(({ note, message, actual, expected }) => [note, message, actual, expected].join(' | '))].join(
          '\n',
        ),
      );
    },
  });
  // Suites run in the order of definition, which is the order in which their files were loaded.
  return [...lines.sort(), JSON.stringify(counts)];
}
