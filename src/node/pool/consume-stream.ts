import type { PoolConnection, StreamEntry } from './connection.ts';

/** Milliseconds that a read waits at the server. */
export const BLOCK_MS = 500;

/** Calls `take` with every entry of a stream in order, and deletes the entries from the server, until `isOver` returns true. */
export async function consumeStream(
  { reader, commands }: { readonly reader: PoolConnection; readonly commands: PoolConnection },
  stream: string,
  isOver: () => boolean,
  take: (entry: StreamEntry) => void,
): Promise<void> {
  let last = '0';
  while (!isOver()) {
    // An error does not end the loop: the check of the run does, if the run is lost.
    const entries = await reader.read(stream, last, BLOCK_MS).catch(() => []);
    for (const entry of entries) take(entry);
    const newest = entries.at(-1);
    if (!newest) continue;
    last = newest.id;
    const [time, number] = last.split('-');
    await commands.send('XTRIM', stream, 'MINID', `${time}-${Number(number) + 1}`).catch(() => undefined);
  }
}
