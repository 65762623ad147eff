import { createRequire } from 'node:module';
import { extname } from 'node:path';
import type { TransformOptions } from 'esbuild';
import type { Compiled } from './cache.ts';
import type { TypeScriptSettings } from './tsconfig.ts';

/** The first error of a source that does not compile, in the compiler's words, with its location. */
export interface CompileError {
  readonly message: string;
  readonly line: number;
  readonly column: number;
}

/** What CommonJS sources find in their scope, for TypeScript that uses it in an ES module. `define` replaces free names only. */
const commonJsNames = { __dirname: 'import.meta.dirname', __filename: 'import.meta.filename', require: 'import.meta.require' };

const require = createRequire(import.meta.url);

/** Compiles one TypeScript or JSX source to an ES module, with the settings of its `tsconfig.json`. */
export async function compile(path: string, source: string, settings: TypeScriptSettings | undefined): Promise<Compiled | CompileError> {
  const line = findMetadataUse(path, source, settings);
  if (line !== undefined) return compileWithMetadata(path, source, settings as TypeScriptSettings, line);
  const { transform } = await import('esbuild');
  try {
    return await transform(source, buildOptions(path, settings));
  } catch (error) {
    return toCompileError(error);
  }
}

/** Compiles synchronously, for hooks. Slower than `compile`: each call starts the compiler. */
export function compileNow(path: string, source: string, settings: TypeScriptSettings | undefined): Compiled | CompileError {
  const line = findMetadataUse(path, source, settings);
  if (line !== undefined) return compileWithMetadata(path, source, settings as TypeScriptSettings, line);
  const { transformSync } = require('esbuild') as typeof import('esbuild');
  try {
    return transformSync(source, buildOptions(path, settings));
  } catch (error) {
    return toCompileError(error);
  }
}

function buildOptions(path: string, settings: TypeScriptSettings | undefined): TransformOptions {
  const options = settings?.compilerOptions ?? {};
  const ending = extname(path).slice(1);
  const isTransformed = typeof options['jsx'] === 'string' && options['jsx'].toLowerCase().startsWith('react') && options['jsx'] !== 'react-native';
  return {
    loader: ending === 'tsx' || ending === 'jsx' ? ending : 'ts',
    format: 'esm',
    // The oldest supported runtime.
    target: 'node20.19',
    sourcemap: 'external',
    sourcesContent: false,
    sourcefile: path,
    define: commonJsNames,
    tsconfigRaw: { compilerOptions: isTransformed ? options : { ...options, jsx: 'react-jsx' } },
    logLevel: 'silent',
  };
}

/** The first error of a source. Throws anything else again. */
function toCompileError(error: unknown): CompileError {
  const [first] = (error as { errors?: { text: string; location: { line: number; column: number } | null }[] }).errors ?? [];
  if (!first) throw error;
  return { message: first.text, line: first.location?.line ?? 1, column: (first.location?.column ?? 0) + 1 };
}

/** The part of a TypeScript compiler's interface that emits the types of parameters. */
interface Transpiler {
  transpileModule?(source: string, options: { fileName: string; compilerOptions: object }): { outputText: string; sourceMapText?: string };
}

/** `emitDecoratorMetadata` takes the compiler of the project. `line` is that of the first decorator. */
function compileWithMetadata(path: string, source: string, { file, compilerOptions }: TypeScriptSettings, line: number): Compiled | CompileError {
  const typescript = findTranspiler(path);
  if (typescript?.transpileModule === undefined) {
    const message = `${file} sets \`emitDecoratorMetadata\`, which needs \`transpileModule\` of the package typescript. Install typescript 5, or set it to false.`;
    return { message, line, column: 1 };
  }
  const { outputText, sourceMapText = '' } = typescript.transpileModule(source, {
    fileName: path,
    // The numbers are those of the compiler: ESNext, ES2022 and the automatic runtime of JSX.
    compilerOptions: { ...compilerOptions, module: 99, target: 9, jsx: 4, sourceMap: true, inlineSources: false },
  });
  return { code: outputText.replace(/\n\/\/# sourceMappingURL=.*\s*$/, '\n'), map: sourceMapText };
}

/** The line of the first decorator of a source whose settings request the types of parameters. */
function findMetadataUse(path: string, source: string, settings: TypeScriptSettings | undefined): number | undefined {
  const { emitDecoratorMetadata, experimentalDecorators } = settings?.compilerOptions ?? {};
  return emitDecoratorMetadata === true && experimentalDecorators === true ? findDecorator(path, source) : undefined;
}

/** The line of the first decorator, if any. The compiler reports syntax errors. */
function findDecorator(path: string, source: string): number | undefined {
  if (!source.includes('@')) return undefined;
  const { parse } = require('@babel/parser') as typeof import('@babel/parser');
  try {
    const { tokens } = parse(source, {
      sourceType: 'module',
      tokens: true,
      plugins: ['typescript', 'decorators-legacy', ...(/x$/.test(path) ? ['jsx' as const] : [])],
    });
    const all = tokens as readonly { type: { label?: string }; loc: { start: { line: number } } }[] | null | undefined;
    return all?.find(({ type }) => type.label === '@')?.loc.start.line;
  } catch {
    return undefined;
  }
}

function findTranspiler(path: string): Transpiler | undefined {
  try {
    return createRequire(path)('typescript') as Transpiler;
  } catch {
    return undefined;
  }
}

export const isCompileError = (outcome: Compiled | CompileError): outcome is CompileError => 'message' in outcome;
