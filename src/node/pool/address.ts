/** The server of a pool, and the options in its URL. */
export interface PoolAddress {
  /** The URL for the client, without credentials and options. */
  readonly url: string;
  readonly username: string | undefined;
  readonly password: string | undefined;
  /** Host and port, for messages. */
  readonly name: string;
  /** The prefix of all keys. */
  readonly prefix: string;
  /** Milliseconds after which a lease that the machine does not renew ends. */
  readonly lease: number;
}

const DEFAULT_PREFIX = 'red-lattice';
const DEFAULT_LEASE_MS = 15_000;
const MIN_LEASE_MS = 400;

/**
 * Parses the URL of a pool: `redis://` or `rediss://`, host, port, database, and the options `?prefix=` and `?lease=`. User and password come
 * from the URL, or from `RED_LATTICE_POOL_USER` and `RED_LATTICE_POOL_PASSWORD`. Returns an error message, without the credentials, if the URL is
 * invalid.
 */
export function parsePoolAddress(text: string, environment: Readonly<Record<string, string | undefined>>): PoolAddress | string {
  let url: URL;
  try {
    url = new URL(text);
  } catch {
    return 'not a URL; give one like redis://localhost:6379';
  }
  if (url.protocol !== 'redis:' && url.protocol !== 'rediss:') return `the protocol ${url.protocol} is not supported; use redis:// or rediss://`;
  if (url.hostname === '') return 'without a host; give one like redis://localhost:6379';
  const unknown = [...url.searchParams.keys()].find((name) => name !== 'prefix' && name !== 'lease');
  if (unknown !== undefined) return `the option ?${unknown}= is unknown; there are ?prefix= and ?lease=`;
  const prefix = url.searchParams.get('prefix') ?? DEFAULT_PREFIX;
  if (!/^[\w.:-]{1,100}$/.test(prefix)) return '?prefix= takes letters, digits, and . _ : -';
  const lease = Number(url.searchParams.get('lease') ?? DEFAULT_LEASE_MS);
  if (!Number.isInteger(lease) || lease < MIN_LEASE_MS) return `?lease= takes whole milliseconds, at least ${MIN_LEASE_MS}`;
  const username = decodePercent(url.username) || environment['RED_LATTICE_POOL_USER'];
  const password = decodePercent(url.password) || environment['RED_LATTICE_POOL_PASSWORD'];
  const name = `${url.hostname}:${url.port || '6379'}`;
  url.search = '';
  url.username = '';
  url.password = '';
  return { url: url.href, username, password, name, prefix, lease };
}

/** A password can contain a `%` that does not start an escape sequence. */
function decodePercent(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}
