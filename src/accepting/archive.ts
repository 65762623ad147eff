import { unzipSync, zipSync } from 'fflate';

/** Signatures and sizes of the ZIP format (APPNOTE 6.3.10). */
const CENTRAL_ENTRY = 0x02014b50;
const END_OF_DIRECTORY = 0x06054b50;
const LOCAL_HEADER_BYTES = 30;
const CENTRAL_HEADER_BYTES = 46;
const END_BYTES = 22;
const MAX_COMMENT_BYTES = 65_535;
/** The sizes are stored after the content. */
const HAS_DESCRIPTOR = 1 << 3;
const DEFLATED = 8;

/** The content of one file of an archive. */
export const readArchived = (archive: Uint8Array, name: string): Uint8Array | undefined => unzipSync(archive, { filter: (file) => file.name === name })[name];

interface Entry {
  readonly name: string;
  /** The position of its central header, and the header's length. */
  readonly at: number;
  readonly length: number;
  /** The position of its local header. */
  readonly start: number;
}

/** Replaces one file of an archive. The bytes of all others are copied unchanged. Undefined for an unsupported archive. */
export function replaceArchived(archive: Uint8Array, name: string, content: Uint8Array): Uint8Array | undefined {
  const view = new DataView(archive.buffer, archive.byteOffset, archive.byteLength);
  const end = findEnd(view);
  if (end === undefined) return undefined;
  const directory = view.getUint32(end + 16, true);
  const entries = listEntries(archive, view, directory, view.getUint16(end + 10, true));
  const entry = entries?.find((one) => one.name === name);
  if (!entries || !entry) return undefined;

  const following = Math.min(directory, ...entries.map(({ start }) => start).filter((start) => start > entry.start));
  const [header, data] = makeLocal(archive, view, entry, content);
  const shift = header.length + data.length - (following - entry.start);
  const central = copy(archive, directory, end);
  const centralView = new DataView(central.buffer);
  for (const { at, start } of entries) if (start > entry.start) centralView.setUint32(at - directory + 42, start + shift, true);
  const own = entry.at - directory;
  const headerView = new DataView(header.buffer);
  centralView.setUint16(own + 8, headerView.getUint16(6, true), true);
  // The method, then the checksum and the sizes. The time between them stays.
  centralView.setUint16(own + 10, DEFLATED, true);
  for (const offset of [14, 18, 22]) centralView.setUint32(own + offset + 2, headerView.getUint32(offset, true), true);
  const closing = copy(archive, end);
  new DataView(closing.buffer).setUint32(16, directory + shift, true);
  return concatenate([archive.subarray(0, entry.start), header, data, archive.subarray(following, directory), central, closing]);
}

/** The position of the end of the directory. Archives with 64-bit offsets are not supported. */
function findEnd(view: DataView): number | undefined {
  for (let at = view.byteLength - END_BYTES; at >= Math.max(0, view.byteLength - END_BYTES - MAX_COMMENT_BYTES); at--)
    if (view.getUint32(at, true) === END_OF_DIRECTORY) return view.getUint32(at + 16, true) === 0xffffffff ? undefined : at;
  return undefined;
}

function listEntries(archive: Uint8Array, view: DataView, directory: number, count: number): Entry[] | undefined {
  const entries: Entry[] = [];
  for (let at = directory, i = 0; i < count; i++) {
    if (view.getUint32(at, true) !== CENTRAL_ENTRY) return undefined;
    const nameLength = view.getUint16(at + 28, true);
    const length = CENTRAL_HEADER_BYTES + nameLength + view.getUint16(at + 30, true) + view.getUint16(at + 32, true);
    const name = new TextDecoder().decode(archive.subarray(at + CENTRAL_HEADER_BYTES, at + CENTRAL_HEADER_BYTES + nameLength));
    entries.push({ name, at, length, start: view.getUint32(at + 42, true) });
    at += length;
  }
  return entries;
}

/** The local header and the compressed content of a file. */
function makeLocal(archive: Uint8Array, view: DataView, { start }: Entry, content: Uint8Array): [Uint8Array<ArrayBuffer>, Uint8Array] {
  // An archive with only this file has its checksum, its sizes and its compressed content.
  const alone = zipSync({ a: content });
  const aloneView = new DataView(alone.buffer, alone.byteOffset);
  const nameLength = view.getUint16(start + 26, true);
  const extraLength = view.getUint16(start + 28, true);
  const header = copy(archive, start, start + LOCAL_HEADER_BYTES + nameLength + extraLength);
  const headerView = new DataView(header.buffer);
  headerView.setUint16(6, headerView.getUint16(6, true) & ~HAS_DESCRIPTOR, true);
  headerView.setUint16(8, DEFLATED, true);
  for (const offset of [14, 18, 22]) headerView.setUint32(offset, aloneView.getUint32(offset, true), true);
  const size = aloneView.getUint32(18, true);
  const from = LOCAL_HEADER_BYTES + aloneView.getUint16(26, true) + aloneView.getUint16(28, true);
  return [header, alone.subarray(from, from + size)];
}

/** Copies a part of an archive. `slice` of a Buffer would share its memory. */
const copy = (archive: Uint8Array, from: number, to?: number): Uint8Array<ArrayBuffer> => new Uint8Array(archive.subarray(from, to));

function concatenate(parts: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(parts.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}
