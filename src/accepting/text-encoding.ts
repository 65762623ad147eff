/** A text with its encoding. */
export interface DecodedText {
  /** The text, with its byte order mark. */
  readonly text: string;
  encode(text: string): Uint8Array;
}

/** Decodes the bytes of a text file: UTF-8, or UTF-16 with a byte order mark. Undefined for other bytes. */
export function decodeText(bytes: Uint8Array): DecodedText | undefined {
  const [first, second] = bytes;
  const encoding = first === 0xff && second === 0xfe ? 'utf-16le' : first === 0xfe && second === 0xff ? 'utf-16be' : 'utf-8';
  try {
    const text = new TextDecoder(encoding, { fatal: true, ignoreBOM: true }).decode(bytes);
    return { text, encode: encoding === 'utf-8' ? (changed) => new TextEncoder().encode(changed) : (changed) => encodeWide(changed, encoding === 'utf-16le') };
  } catch {
    return undefined;
  }
}

function encodeWide(text: string, isLittleEndian: boolean): Uint8Array {
  const view = new DataView(new ArrayBuffer(2 * text.length));
  for (let i = 0; i < text.length; i++) view.setUint16(2 * i, text.charCodeAt(i), isLittleEndian);
  return new Uint8Array(view.buffer);
}
