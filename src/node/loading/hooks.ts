import module from 'node:module';

// The types of Node 20 lack what newer runtimes have.
export interface HookContext {
  readonly parentURL?: string | undefined;
  readonly conditions?: readonly string[];
  readonly importAttributes?: Readonly<Record<string, string>>;
}
export interface ResolvedByHook {
  readonly url: string;
  readonly format?: string;
  readonly importAttributes?: Readonly<Record<string, string>>;
  readonly shortCircuit?: boolean;
}
export interface LoadedByHook {
  readonly format: string;
  readonly source?: string;
  readonly shortCircuit?: boolean;
}
export type Resolve = (specifier: string, context: HookContext, next: (specifier: string, context: HookContext) => ResolvedByHook) => ResolvedByHook;
export type Load = (url: string, context: HookContext, next: (url: string, context: HookContext) => LoadedByHook) => LoadedByHook;
type RegisterHooks = (hooks: { readonly resolve: Resolve; readonly load: Load }) => void;

export const { registerHooks } = module as { readonly registerHooks?: RegisterHooks };

/**
 * Whether a Node version can call hooks in the thread that imports. Before Node 24.8, hooks break CommonJS modules that require an ES
 * module.
 */
export function hasHooks(version = process.versions.node, register: unknown = registerHooks): boolean {
  const [major = 0, minor = 0] = version.split('.').map(Number);
  return Boolean(register) && (major > 24 || (major === 24 && minor >= 8));
}
