import { fields, findFault, isObject, optional, type Shapes } from '../../results/shapes.ts';

/** An announced run. A machine takes part if its versions and files are the same. */
export interface PoolRun {
  readonly id: string;
  /** The version of the library. */
  readonly tool: string;
  /** The version of the runtime. */
  readonly node: string;
  /** Content hashes of test files and configuration, by their paths from the root. */
  readonly files: Readonly<Record<string, string>>;
  /** Milliseconds after which a lease that the machine does not renew ends. */
  readonly lease: number;
}

/** A joined machine. */
export interface PoolMachine {
  readonly id: string;
  readonly name: string;
  /** The number of lanes that it lends. */
  readonly lanes: number;
  /** The time of its last renewal: milliseconds since 1970 by the server's clock. */
  readonly at: number;
}

/** Messages from a machine about a lane of a run. */
export type FromMachine =
  /** The machine has taken the seat. */
  | { readonly kind: 'claimed'; readonly machine: string; readonly name: string }
  /** Content hashes of files that the following results depend on, by path. */
  | { readonly kind: 'reads'; readonly files: Readonly<Record<string, string>> }
  /** Whole lines of the journal of the lane's process. */
  | { readonly kind: 'journal'; readonly text: string }
  | { readonly kind: 'attachment'; readonly file: string; readonly content: string }
  /** A message from the process of the lane. */
  | { readonly kind: 'message'; readonly message: unknown }
  /** The machine takes its lane back. */
  | { readonly kind: 'leaving' }
  | { readonly kind: 'exit'; readonly code: number | null; readonly signal: string | null; readonly output: string };

/** Messages to a machine about a lane of a run. */
export type ToMachine =
  /** Start a process for this job. */
  | { readonly kind: 'start'; readonly job: unknown; readonly root: string }
  | { readonly kind: 'message'; readonly message: unknown }
  | { readonly kind: 'kill' }
  /** The lane is not needed any more. */
  | { readonly kind: 'release' }
  /** These files differ: the machine cannot take part in this run. */
  | { readonly kind: 'refuse'; readonly files: readonly string[] };

type Kinds<Message extends { kind: string }> = { readonly [Kind in Message['kind']]: Shapes };

const fromMachine: Kinds<FromMachine> = {
  claimed: { machine: 'text', name: 'text' },
  reads: { files: 'names' },
  journal: { text: 'text' },
  attachment: { file: 'text', content: 'text' },
  // `isToCoordinator` and `isToLane` check the content.
  message: {},
  leaving: {},
  exit: { code: optional('number'), signal: optional('text'), output: 'text' },
};

const toMachine: Kinds<ToMachine> = {
  start: { root: 'text', job: fields({ mode: 'text', root: 'text', journal: 'text', files: 'texts', skippedFiles: 'texts', lane: 'count' }) },
  message: {},
  kill: {},
  release: {},
  refuse: { files: 'texts' },
};

const runShape: Shapes = { id: 'text', tool: 'text', node: 'text', files: 'names', lease: 'count' };
const machineShape: Shapes = { id: 'text', name: 'text', lanes: 'count', at: 'number' };

/** Parses and validates a message. Returns undefined if it is invalid: anyone with access to the server can write messages. */
function parse<T>(text: string | undefined, shapesOf: (value: Readonly<Record<string, unknown>>) => Shapes | undefined): T | undefined {
  try {
    const value: unknown = JSON.parse(text ?? '');
    if (!isObject(value)) return undefined;
    const shapes = shapesOf(value);
    return shapes && findFault(value, shapes, 'message') === undefined ? (value as T) : undefined;
  } catch {
    return undefined;
  }
}

const byKind =
  (kinds: Readonly<Record<string, Shapes>>) =>
  ({ kind }: Readonly<Record<string, unknown>>): Shapes | undefined =>
    typeof kind === 'string' && Object.hasOwn(kinds, kind) ? kinds[kind] : undefined;

export const parseFromMachine = (text: string | undefined): FromMachine | undefined => parse(text, byKind(fromMachine));
export const parseToMachine = (text: string | undefined): ToMachine | undefined => parse(text, byKind(toMachine));
/** A message from a machine that cannot take part in a run, before it has taken a seat. */
export interface Refusal {
  readonly name: string;
  readonly reasons: readonly string[];
}

export const parseRefusal = (text: string | undefined): Refusal | undefined => parse(text, () => ({ name: 'text', reasons: 'texts' }));
export const parseRun = (text: string | undefined): PoolRun | undefined => parse(text, () => runShape);
export const parseMachine = (text: string | undefined): PoolMachine | undefined => parse(text, () => machineShape);
