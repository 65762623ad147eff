/** The public face of what needs Node. */
export { dataFiles } from './data-files.ts';
export { environment, scratchFolder } from './fixtures.ts';
