import { extname } from 'node:path';
import type { Compiled } from './cache.ts';

/** Why a source does not compile: its first error, as esbuild words it, with its place. */
export interface CompileError {
  readonly message: string;
  readonly line: number;
  readonly column: number;
}

/** Compiles one TypeScript or JSX source to an ES module, with esbuild's service for all of them. */
export async function compile(path: string, source: string): Promise<Compiled | CompileError> {
  const { transform } = await import('esbuild');
  const ending = extname(path).slice(1);
  const loader = ending === 'tsx' || ending === 'jsx' ? ending : 'ts';
  try {
    const { code, map } = await transform(source, {
      loader,
      format: 'esm',
      target: 'node20',
      sourcemap: 'external',
      sourcesContent: false,
      sourcefile: path,
      jsx: 'automatic',
      logLevel: 'silent',
    });
    return { code, map };
  } catch (error) {
    const [first] = (error as { errors?: { text: string; location: { line: number; column: number } | null }[] }).errors ?? [];
    if (!first) throw error;
    return { message: first.text, line: first.location?.line ?? 1, column: (first.location?.column ?? 0) + 1 };
  }
}

export const isCompileError = (outcome: Compiled | CompileError): outcome is CompileError => 'message' in outcome;
