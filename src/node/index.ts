/** The public entry point for Node. */
export { type DataFileRow, dataFiles } from './data-files.ts';
export { environmentVariables, tempDirectory } from './fixtures.ts';
