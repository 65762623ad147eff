import { endOfLine, Headers, isPass, type ReadPass, readPass } from './compact-pass.ts';
import type { JournalEntry } from './entries.ts';
import { isBlock, readBlock } from './pass-block.ts';
import { findEntryFault } from './shape.ts';

/** Parses a line other than a plain pass. Returns undefined for an incomplete line. */
export function decodeEntry(line: string): JournalEntry | undefined {
  try {
    const entry: unknown = JSON.parse(line);
    return typeof entry === 'object' && entry !== null && typeof (entry as JournalEntry).type === 'string' ? (entry as JournalEntry) : undefined;
  } catch {
    return undefined;
  }
}

function beginsWithOneOf(lines: Uint8Array, from: number, beginnings: readonly Uint8Array[]): boolean {
  for (const bytes of beginnings) {
    let at = 0;
    // Most types differ in their first letters.
    while (at < bytes.length && lines[from + at] === bytes[at]) at++;
    if (at === bytes.length) return true;
  }
  return false;
}

const MAX_BATCH_ENTRIES = 256;
const encoder = new TextEncoder();
const decoder = new TextDecoder();

/** Which entries of journals to read. */
export interface EntryFilter {
  /** Consecutive plain passes become one entry. */
  readonly inBlocks?: boolean | undefined;
  /** Lines of other types are skipped without parsing. Compact passes, headers and tests are always read. Default: all. */
  readonly types?: readonly JournalEntry['type'][] | undefined;
}

/** Reads the lines of one or more journals in order. The lines of each journal follow its header. */
export class JournalReader {
  readonly #headers = new Headers();
  /** The last plain pass of each lane, if its last line was one. */
  readonly #before: (ReadPass | undefined)[] = [];
  #lane = 0;
  #isMalformed = false;

  /** Parses a line. Returns undefined for an incomplete or changed line. */
  read(line: string): JournalEntry | undefined {
    if (!isPass(line.charCodeAt(0))) return this.#other(line);
    const result = this.#pass(encoder.encode(line), 0);
    return result && { type: 'ended', result };
  }

  /** Reads the compact pass of the UTF-8 line at a position, like `read`. The bytes must not change afterwards. */
  readPass(lines: Uint8Array, from: number): ReadPass | undefined {
    return this.#pass(lines, from);
  }

  /**
   * Yields the entries of complete UTF-8 lines, in batches so that memory use stays low. The bytes must not change afterwards, since
   * entries read rarely used fields from them.
   */
  *readAll(lines: Uint8Array, { inBlocks = false, types }: EntryFilter = {}): Generator<readonly JournalEntry[]> {
    const beginnings = types && ['header', 'test', ...types].map((type) => encoder.encode(`{"type":"${type}"`));
    let entries: JournalEntry[] = [];
    for (let from = 0; from < lines.length; ) {
      if (entries.length === MAX_BATCH_ENTRIES) {
        yield entries;
        entries = [];
      }
      let end = from;
      const block = inBlocks && isBlock(lines[from]) ? readBlock(lines, from, this.#headers) : undefined;
      if (block) {
        entries.push({ type: 'passed', block: block.block });
        from = block.end;
        continue;
      }
      if (isPass(lines[from])) {
        const result = this.#pass(lines, from);
        if (result) entries.push({ type: 'ended', result });
        end = result?.end ?? endOfLine(lines, from);
      } else {
        end = endOfLine(lines, from);
        const isWanted = !beginnings || isBlock(lines[from]) || beginsWithOneOf(lines, from, beginnings);
        const entry = isWanted ? this.#other(decoder.decode(lines.subarray(from, end))) : undefined;
        if (!isWanted) this.#before[this.#lane] = undefined;
        if (entry) entries.push(entry);
      }
      from = end + 1;
    }
    yield entries;
  }

  #pass(lines: Uint8Array, from: number): ReadPass | undefined {
    const pass = readPass(lines, from, this.#headers, this.#before[this.#lane]);
    this.#before[this.#lane] = pass;
    return pass;
  }

  /** Reports the first malformed line of each journal. */
  #reportMalformed(reason: string): JournalEntry | undefined {
    if (this.#isMalformed) return undefined;
    this.#isMalformed = true;
    return { type: 'problem', problem: { code: 'malformed-journal', lane: this.#lane, reason } };
  }

  #other(line: string): JournalEntry | undefined {
    const read = isBlock(line.charCodeAt(0)) ? undefined : decodeEntry(line);
    const refused = read && findEntryFault(read);
    const entry: JournalEntry | undefined = refused === undefined ? read : this.#reportMalformed(refused);
    if (entry?.type === 'header') this.#lane = entry.lane;
    else this.#before[this.#lane] = undefined;
    if (entry?.type === 'test') this.#headers.set(entry.header);
    return entry;
  }
}
