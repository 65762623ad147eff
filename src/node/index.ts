/** The public entry point for what needs Node. */
export { type DataFileRow, dataFiles } from './data-files.ts';
export { environmentVariables, tempDirectory } from './fixtures.ts';
