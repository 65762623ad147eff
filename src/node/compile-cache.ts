import module from 'node:module';

/**
 * Stores compiled code of the runtime for the next start, if the runtime can (Node 22.1). Coverage counts every function only if the
 * process compiles all of them itself.
 */
export function enableCompileCache(): void {
  const { enableCompileCache: enable } = module as { enableCompileCache?: () => unknown };
  if (!process.env['NODE_V8_COVERAGE']) enable?.();
}
