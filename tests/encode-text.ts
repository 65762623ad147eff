/** Encodes a text, with a byte order mark in UTF-16. */
export function encodeText(text: string, encoding: 'utf-8' | 'utf-16le' | 'utf-16be'): Uint8Array {
  if (encoding === 'utf-8') return new TextEncoder().encode(text);
  const marked = text.startsWith('\uFEFF') ? text : `\uFEFF${text}`;
  const view = new DataView(new ArrayBuffer(2 * marked.length));
  for (let i = 0; i < marked.length; i++) view.setUint16(2 * i, marked.charCodeAt(i), encoding === 'utf-16le');
  return new Uint8Array(view.buffer);
}
