import { join } from 'node:path';
import { fixture } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';
import { root, runCommand } from './program.ts';

/** The harbour example. */
export const office = join(root, 'examples', 'harbour-office');

/** The record of all cases of the example in one lane, in order, with a timeline. The run takes seconds, so tests share it. */
export const officeRun = fixture('a run of the office', {
  scope: 'run',
  timeout: 200_000,
  needs: { folder: tempDirectory('run') },
  async setup(_, { folder }) {
    const record = join(folder, 'record');
    await runCommand(['run', '--on-request', '--show', 'summary', '--lanes', '1', '--timeline', '--record', record], office);
    return record;
  },
});
