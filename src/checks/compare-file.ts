import type { FileSource } from '../cases/row.ts';
import { formatThousands } from '../problems/format-thousands.ts';
import { buildMisuse, type CheckOutcome, type Mismatch } from './comparisons.ts';
import { isEqual } from './equality.ts';
import { formatValue } from './format-value.ts';

/** Options of `check.file`. */
export interface FileCheckOptions {
  /** Changes both texts before they are compared, for example to remove a date. Line endings never count. */
  readonly normalize?: ((text: string) => string) | undefined;
  readonly note?: string | undefined;
}

/** The location of a test's files, and how to read them. */
export interface FileSettings {
  /** The test file. */
  readonly base: URL | undefined;
  readonly files?: FileSource | undefined;
  /** Normalizers from the configuration. They run before that of the call. */
  readonly normalizers?: readonly ((text: string) => string)[] | undefined;
  /** Receives each file that a content is compared with, and the test file that compares it. */
  readonly onExpectedFile?: ((url: URL, reader: URL) => void) | undefined;
}

/** The result of a comparison with a file, and the content to attach if they differ. */
export interface FileOutcome {
  readonly outcome: CheckOutcome;
  readonly attachments: readonly { readonly name: string; readonly content: string | Uint8Array }[];
}

/** Characters. Longer texts are compared as a whole, and shown up to here. */
const MAX_SHOWN_LENGTH = 50_000;
const MAX_FILE_BYTES = 50_000_000;
/** The number of hexadecimal digits that are shown of a hash. */
const SHOWN_DIGITS = 12;

/**
 * Compares a computed content with a file next to the test file: a string with the text, bytes with the bytes, any other value with the
 * parsed JSON.
 */
export async function compareFile(path: unknown, content: unknown, { normalize }: FileCheckOptions, settings: FileSettings): Promise<FileOutcome> {
  const refused = refusePath(path);
  if (refused) return { outcome: refused, attachments: [] };
  const { base, files, onExpectedFile, normalizers = [] } = settings;
  if (!files || !base) return { outcome: { message: '`file` needs a test file and access to files' }, attachments: [] };
  const name = path as string;
  const url = new URL(name.split('/').map(encodeURIComponent).join('/'), base);
  const computed = content instanceof Uint8Array ? content : typeof content === 'string' ? content : toJsonText(content);
  if (computed === undefined) return { outcome: buildMisuse('the content of `file`', 'a string, bytes, or a value that JSON holds', content), attachments: [] };
  onExpectedFile?.(url, base);
  let bytes: Uint8Array | undefined;
  try {
    bytes = await readAll(files, url);
  } catch (error) {
    return { outcome: { message: `cannot read ${name}: ${(error as Error).message}` }, attachments: [] };
  }
  const mismatch =
    computed instanceof Uint8Array
      ? await compareBytes(name, computed, bytes)
      : compareText(name, computed, bytes, typeof content !== 'string', normalize ? [...normalizers, normalize] : normalizers);
  if (!mismatch) return { outcome: undefined, attachments: [] };
  const attachment = `computed ${name}`;
  const before = computed instanceof Uint8Array && bytes ? [{ name: `expected ${name}`, content: bytes }] : [];
  return {
    outcome: { ...mismatch, differingFile: { file: url.href, attachment, ...(!bytes && { isNew: true }) } },
    attachments: [{ name: attachment, content: computed }, ...before],
  };
}

function refusePath(path: unknown): Mismatch | undefined {
  if (typeof path !== 'string' || path === '' || path.endsWith('/')) return buildMisuse('the path of `file`', 'the path of a file', path);
  const parts = path.split('/');
  const isSafe =
    !path.includes('\\') && !path.startsWith('/') && !/^[a-z][a-z0-9+.-]*:/i.test(path) && parts.every((part) => part !== '..' && part !== '.' && part !== '');
  return isSafe && !/\p{Cc}/u.test(path) ? undefined : buildMisuse('the path of `file`', 'a path below the folder of the test file, with slashes', path);
}

function toJsonText(content: unknown): string | undefined {
  try {
    const text = JSON.stringify(content, null, 2) as string | undefined;
    return text !== undefined && isEqual(JSON.parse(text), content) ? `${text}\n` : undefined;
  } catch {
    return undefined;
  }
}

async function readAll(files: FileSource, url: URL): Promise<Uint8Array | undefined> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  try {
    for await (const chunk of files.read(url)) {
      chunks.push(chunk);
      size += chunk.length;
      if (size > MAX_FILE_BYTES) throw new Error(`it is larger than ${formatThousands(MAX_FILE_BYTES)} bytes`);
    }
  } catch (error) {
    if ((error as { code?: unknown }).code === 'ENOENT') return undefined;
    throw error;
  }
  const whole = new Uint8Array(size);
  let at = 0;
  for (const chunk of chunks) {
    whole.set(chunk, at);
    at += chunk.length;
  }
  return whole;
}

const missingFile = (name: string): Mismatch => ({ message: `${name} does not exist; red-lattice accept creates it` });

function compareText(
  name: string,
  computed: string,
  bytes: Uint8Array | undefined,
  isJson: boolean,
  normalizers: NonNullable<FileSettings['normalizers']>,
): CheckOutcome {
  if (!bytes) return missingFile(name);
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return { message: `${name} is not a text in UTF-8` };
  }
  const prepare = (one: string): string => normalizers.reduce((done, normalize) => normalize(done), one.replaceAll('\r\n', '\n'));
  const actual = prepare(computed);
  // JSON is compared in this package's own formatting, whatever its layout in the file is.
  const expected = isJson ? formatJson(prepare(text)) : prepare(text);
  if (actual === expected || (isJson && holdsSameJson(actual, expected))) return undefined;
  return { message: `differs from ${name}`, actual: shownText(actual), expected: shownText(expected) };
}

function holdsSameJson(actual: string, expected: string): boolean {
  try {
    return isEqual(JSON.parse(actual), JSON.parse(expected));
  } catch {
    return false;
  }
}

function formatJson(text: string): string {
  try {
    return `${JSON.stringify(JSON.parse(text), null, 2)}\n`;
  } catch {
    return text;
  }
}

const shownText = (text: string): string => JSON.stringify(text.length > MAX_SHOWN_LENGTH ? `${text.slice(0, MAX_SHOWN_LENGTH)}\n…` : text);

async function compareBytes(name: string, computed: Uint8Array, bytes: Uint8Array | undefined): Promise<CheckOutcome> {
  if (!bytes) return missingFile(name);
  if (computed.length === bytes.length && computed.every((byte, i) => byte === bytes[i])) return undefined;
  const summarize = async (content: Uint8Array): Promise<string> => `${formatValue(content.length)} bytes, SHA-256 ${await hashBytes(content)}`;
  return { message: `differs from ${name}`, actual: await summarize(computed), expected: await summarize(bytes) };
}

async function hashBytes(content: Uint8Array): Promise<string> {
  const digest = await globalThis.crypto.subtle.digest('SHA-256', content.slice());
  return [...new Uint8Array(digest)]
    .map((byte) => byte.toString(16).padStart(2, '0'))
    .join('')
    .slice(0, SHOWN_DIGITS);
}
