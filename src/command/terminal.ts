import { relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { type AnnotationSyntax, findAnnotationSyntax } from '../formats/annotations.ts';
import { breakLine } from '../formats/columns.ts';
import type { Formatting } from '../formats/human/failure.ts';
import { colourStyle, escapeToOneLine, plainStyle, type Style } from '../formats/style.ts';
import { createSourceReader } from '../node/sources.ts';

/** The output of a command. Passed in, so that a command neither prints nor exits directly. */
export interface Terminal {
  out(line: string): void;
  /** Writes text unchanged, for other programs. */
  writeRaw(text: string): void;
  error(line: string): void;
  readonly style: Style;
  /** A terminal whose lines can be overwritten. */
  readonly live: NodeJS.WritableStream | undefined;
  /** The annotations that the CI service reads from the log, and the folder that it uses for file names. */
  readonly annotations?: { readonly syntax: AnnotationSyntax; readonly workspace: string } | undefined;
  /** Asks the user a question. Undefined without a user at a terminal. */
  readonly ask?: ((question: string) => Promise<string>) | undefined;
  /** In columns. Default without a terminal: 100. */
  readonly width: number;
}

/** Prints why a command cannot do its work. Returns its exit status. */
export function failWith({ error }: Pick<Terminal, 'error'>, reason: string): 2 {
  error(`red-lattice: ${escapeToOneLine(reason)}`);
  return 2;
}

/** Colours only on a terminal. NO_COLOR and FORCE_COLOR override this. */
function wantsColours(environment: Readonly<Record<string, string | undefined>>, isTerminal: boolean): boolean {
  const { NO_COLOR, FORCE_COLOR, TERM, CI } = environment;
  if (NO_COLOR) return false;
  if (FORCE_COLOR !== undefined && FORCE_COLOR !== '') return FORCE_COLOR !== '0' && FORCE_COLOR !== 'false';
  return isTerminal && TERM !== 'dumb' && !CI;
}

/** The minimum width in columns. On a narrower terminal, lines wrap and cannot be overwritten. */
const MIN_WIDTH = 40;

// A lane in this process replaces the streams, so that the terminal uses the original functions.
const [write, writeError] = [process.stdout.write.bind(process.stdout), process.stderr.write.bind(process.stderr)];

/** Finds the syntax of annotations for the service in the environment. */
function findAnnotations(environment: Readonly<Record<string, string | undefined>>): Terminal['annotations'] {
  const syntax = findAnnotationSyntax(environment);
  return syntax && { syntax, workspace: environment['GITHUB_WORKSPACE'] ?? environment['BUILD_SOURCESDIRECTORY'] ?? process.cwd() };
}

async function askOnTerminal(question: string): Promise<string> {
  const { createInterface } = await import('node:readline/promises');
  const lines = createInterface({ input: process.stdin, output: process.stdout });
  try {
    return await lines.question(question);
  } finally {
    lines.close();
  }
}

/** Matches lines that are left to the terminal to wrap, so that they can be copied: commands, and the output of tests. */
const isUnbroken = /npx red-lattice|│/;

/** Breaks lines between words if they are wider than the terminal. Some terminals report 0 columns. */
export function fitLines(text: string, { isTTY, columns }: { readonly isTTY?: boolean; readonly columns?: number } = process.stdout): string {
  if (!isTTY || !columns || columns < MIN_WIDTH) return text;
  return text
    .split('\n')
    .flatMap((line) => (isUnbroken.test(line) ? line : breakLine(line, columns)))
    .join('\n');
}

export const createTerminal = (): Terminal => ({
  out: (line) => void write(`${fitLines(line)}\n`),
  writeRaw: (text) => void write(text),
  error: (line) => void writeError(`${line}\n`),
  ask: process.stdin.isTTY && process.stdout.isTTY && !process.env['CI'] ? askOnTerminal : undefined,
  annotations: findAnnotations(process.env),
  // Some terminals report 0.
  width: process.stdout.columns || 100,
  live:
    process.stdout.isTTY && (process.stdout.columns || 100) >= MIN_WIDTH && process.env['TERM'] !== 'dumb' && !process.env['CI'] ? process.stdout : undefined,
  style: wantsColours(process.env, process.stdout.isTTY === true) ? colourStyle : plainStyle,
});

const pathOf = (file: string): string => (file.startsWith('file:') ? fileURLToPath(file) : file);

/**
 * Names and contents of files for messages. `recordRoot` is the root of the paths in a record; `root` is that of the current project, which
 * limits the sources that are read.
 */
export function createFormatting(recordRoot: string, { style, live, width }: Pick<Terminal, 'style'> & Partial<Terminal>, root = recordRoot): Formatting {
  const nameFile = (file: string): string => {
    if (!/^(?:file:|\/)/.test(file)) return escapeToOneLine(file);
    const near = relative(recordRoot, pathOf(file));
    return escapeToOneLine(near.startsWith('..') ? pathOf(file) : near.split(sep).join('/'));
  };
  const read = createSourceReader(root);
  return {
    style,
    columns: live && width,
    shown: new Set(),
    nameFile,
    source: (file) => read(formatPath(file, recordRoot)),
  };
}

/** The path from the root if the file is below it. The project can be in another place on another machine. */
function formatPath(file: string, recordRoot: string): string {
  const path = pathOf(file);
  const near = relative(recordRoot, path);
  return near.startsWith('..') ? path : near;
}
