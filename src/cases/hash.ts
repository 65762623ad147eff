/**
 * A 53-bit hash of a text as hexadecimal digits: for names and caches, never for secrets.
 *
 * Two multiplicative mixes run side by side over the UTF-16 units, each closed with the finalizer of MurmurHash3
 * (A. Appleby, public domain).
 */
export function hash(text: string, digits = 13): string {
  let a = 0xdeadbeef ^ text.length;
  let b = 0x41c6ce57;
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i);
    a = Math.imul(a ^ unit, 0x9e3779b1);
    b = Math.imul(b ^ unit, 0x5f356495);
  }
  return finish(a, b, digits);
}

/** The same hash for bytes. */
export function hashBytes(bytes: Uint8Array, digits = 13): string {
  let a = 0xdeadbeef ^ bytes.length;
  let b = 0x41c6ce57;
  for (let i = 0; i < bytes.length; i++) {
    a = Math.imul(a ^ (bytes[i] as number), 0x9e3779b1);
    b = Math.imul(b ^ (bytes[i] as number), 0x5f356495);
  }
  return finish(a, b, digits);
}

function finish(from: number, fromOther: number, digits: number): string {
  let [a, b] = [from, fromOther];
  a = Math.imul(a ^ (a >>> 16), 0x85ebca6b) ^ Math.imul(b ^ (b >>> 13), 0xc2b2ae35);
  b = Math.imul(b ^ (b >>> 16), 0x85ebca6b) ^ Math.imul(a ^ (a >>> 13), 0xc2b2ae35);
  const high = (b & 0x1fffff).toString(16).padStart(6, '0').slice(-5);
  return (high + (a >>> 0).toString(16).padStart(8, '0')).slice(-digits);
}
