/** The public entry point for what needs Node. */
export { dataFiles } from './data-files.ts';
export { environmentVariables, tempDirectory } from './fixtures.ts';
