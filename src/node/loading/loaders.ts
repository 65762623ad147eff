import { extname } from 'node:path';
import type { WrittenLoader } from '../../suites/config.ts';

/** How files that are not modules are imported, by extension, and the configuration that contains the loader functions. */
export interface Loaders {
  readonly byExtension: Readonly<Record<string, WrittenLoader>>;
  /** The URL of the configuration. */
  readonly configuration: string;
}

export const noLoaders: Loaders = { byExtension: {}, configuration: '' };

/** The loader for a URL. A query, as in `logo.svg?inline`, does not belong to the extension. */
export const findLoader = ({ byExtension }: Loaders, url: string): WrittenLoader | undefined =>
  url.startsWith('file:') ? byExtension[extname(new URL(url).pathname)] : undefined;

export const hasFunctions = ({ byExtension }: Loaders): boolean => Object.values(byExtension).includes('function');

/** Adds the setting that allows it to the error of an import with an unknown extension. Other errors stay as they are. */
export function explainUnknownExtension(error: unknown, url: string): unknown {
  if ((error as { code?: unknown } | undefined)?.code !== 'ERR_UNKNOWN_FILE_EXTENSION') return error;
  const extension = extname(new URL(url).pathname);
  return new TypeError(
    `cannot import a ${extension} file. Set \`loaders: { '${extension}': 'text' }\` in red-lattice.config.ts ('text', 'url', 'empty' or a function).`,
  );
}
