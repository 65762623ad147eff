import { relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { type AnnotationSyntax, findAnnotationSyntax } from '../formats/annotations.ts';
import { breakLine } from '../formats/columns.ts';
import type { Formatting } from '../formats/human/failure.ts';
import { colourStyle, escapeToOneLine, plainStyle, type Style } from '../formats/style.ts';
import { sourceReader } from '../node/sources.ts';

/** Where a command writes, and how. Handed in, so that a command neither prints nor exits by itself. */
export interface Terminal {
  out(line: string): void;
  /** Text as it is, for other programs to read. */
  writeRaw(text: string): void;
  error(line: string): void;
  readonly style: Style;
  /** Where lines can be written over, on a terminal that somebody looks at. */
  readonly live: NodeJS.WritableStream | undefined;
  /** The annotations that the CI service reads from the log, and the folder that it names files from. */
  readonly annotations?: { readonly syntax: AnnotationSyntax; readonly workspace: string } | undefined;
  /** Asks somebody who can answer. */
  readonly ask?: ((question: string) => Promise<string>) | undefined;
  /** In columns; 100 where there is no terminal. */
  readonly width: number;
}

/** Says why a command cannot do what it was asked for; gives its exit status. */
export function failWith({ error }: Pick<Terminal, 'error'>, reason: string): 2 {
  error(`red-lattice: ${escapeToOneLine(reason)}`);
  return 2;
}

/** Colours on a terminal only; NO_COLOR and FORCE_COLOR overrule that. */
function wantsColours(environment: Readonly<Record<string, string | undefined>>, isTerminal: boolean): boolean {
  const { NO_COLOR, FORCE_COLOR, TERM, CI } = environment;
  if (NO_COLOR) return false;
  if (FORCE_COLOR !== undefined && FORCE_COLOR !== '') return FORCE_COLOR !== '0' && FORCE_COLOR !== 'false';
  return isTerminal && TERM !== 'dumb' && !CI;
}

/** Columns. On a narrower terminal lines wrap, so that they cannot be overwritten. */
const MIN_WIDTH = 40;

// A lane in this process takes the streams over: the terminal goes by what was there before.
const [write, writeError] = [process.stdout.write.bind(process.stdout), process.stderr.write.bind(process.stderr)];

/** The annotations for the service that the environment shows. */
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

/** Lines that the terminal wraps by itself, so that they can be copied: commands, and the output of tests. */
const isUnbroken = /npx red-lattice|│/;

/** Breaks lines that are wider than the terminal between words. */
function fitLines(text: string): string {
  const { isTTY, columns } = process.stdout;
  if (!isTTY || !columns || columns < MIN_WIDTH) return text;
  return text
    .split('\n')
    .flatMap((line) => (isUnbroken.test(line) ? line : breakLine(line, columns)))
    .join('\n');
}

export const processTerminal = (): Terminal => ({
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
 * Names and texts of files for messages. `recordRoot` is the root that paths in a record start from, `root` that of the project in which
 * the command runs: sources are read there only.
 */
export function createFormatting(recordRoot: string, { style, live, width }: Pick<Terminal, 'style'> & Partial<Terminal>, root = recordRoot): Formatting {
  const nameFile = (file: string): string => {
    if (!/^(?:file:|\/)/.test(file)) return escapeToOneLine(file);
    const near = relative(recordRoot, pathOf(file));
    return escapeToOneLine(near.startsWith('..') ? pathOf(file) : near.split(sep).join('/'));
  };
  const read = sourceReader(root);
  return {
    style,
    columns: live && width,
    shown: new Set(),
    nameFile,
    source: (file) => read(pathIn(file, recordRoot)),
  };
}

/** From the root if the file is below it, since the project can be elsewhere on another machine. */
function pathIn(file: string, recordRoot: string): string {
  const path = pathOf(file);
  const near = relative(recordRoot, path);
  return near.startsWith('..') ? path : near;
}
