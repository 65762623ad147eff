import { pathToFileURL } from 'node:url';
import type { CompileError } from './compile.ts';
import type { ImportGraph } from './import-graph.ts';
import { notePlace } from './import-place.ts';

/** Loads the modules of a project, including TypeScript, under their real URLs. */
export interface ModuleLoader {
  /** Resolves to a module's namespace when the module and all its imports have been evaluated. */
  import(url: string): Promise<Record<string, unknown>>;
  readonly graph: ImportGraph;
  /** The source maps of compiled modules, by URL. */
  readonly maps: ReadonlyMap<string, string>;
}

/** Compiles a source into the cache. Rejects with a SyntaxError that has the location. */
export type Compile = (path: string, source: string, key: string) => Promise<void>;

/** Creates the error for a source that does not compile, with its location. */
export function compileFailure(path: string, { message, line, column }: CompileError): SyntaxError {
  const file = pathToFileURL(path).href;
  const error = Object.assign(new SyntaxError(message), { stack: `SyntaxError: ${message}\n    at ${file}:${line}:${column}` });
  notePlace(error, { file, line, column });
  return error;
}
