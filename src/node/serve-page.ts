import { type ChildProcess, spawn } from 'node:child_process';
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { JOURNAL_VERSION } from '../results/journal/entries.ts';
import type { PageRequest } from '../results/page-entries.ts';
import type { FormatPath } from '../results/report.ts';
import { listEarlierRuns, type RecordReference } from './earlier-runs.ts';
import { listJournals } from './journals.ts';
import { LineReader } from './line-reader.ts';
import { isUnderWay, PageWriter, pageHead, pageTemplate, serializePageEntry, withoutRoot } from './page-lines.ts';
import { readInfo } from './record.ts';
import { type OpenedRecord, readRecorded } from './recorded.ts';

export interface Serving {
  /** The address, with the token that opens it. */
  readonly address: string;
  close(): void;
}

interface Served {
  /** The record to show. If it is the latest one, later ones follow. */
  readonly record: OpenedRecord;
  readonly follows: boolean;
  readonly root: string;
  readonly port: number;
  /** The path of the command, for running cases again. */
  readonly command: string;
  readonly names: (root: string) => { readonly nameFile: FormatPath; readonly source: (file: string) => string | undefined };
}

/** The interval at which a growing record is read, and at which later records are detected. */
const LOOK_INTERVAL_MS = 100;
const NEW_RECORD_INTERVAL_MS = 400;
const MAX_REQUEST_BYTES = 4_000_000;

/**
 * Serves the results page on this machine only. The page itself contains no data. Its requests need a token, which is in the address and
 * which the page then sends in a header. Requests from other host names and other sites are rejected.
 */
export async function servePage(served: Served): Promise<Serving> {
  const token = randomBytes(24).toString('base64url');
  const page = new PageServer(served, token);
  const server = createServer((request, response) => void page.answer(request, response).catch((error: Error) => fail(response, error)));
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(served.port, '127.0.0.1', resolve);
  });
  page.server = server;
  const { port } = server.address() as AddressInfo;
  return {
    address: `http://127.0.0.1:${port}/?token=${token}`,
    close() {
      page.close();
      server.closeAllConnections();
      server.close();
    },
  };
}

class PageServer {
  readonly #served: Served;
  readonly #token: Buffer;
  server: Server | undefined;
  /** The run that the page has started. */
  #run: ChildProcess | undefined;
  #closed = false;

  constructor(served: Served, token: string) {
    this.#served = served;
    this.#token = Buffer.from(token);
  }

  close(): void {
    this.#closed = true;
    this.#run?.kill('SIGINT');
  }

  async answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const refusal = this.#findRejection(request);
    response.setHeader('x-content-type-options', 'nosniff');
    response.setHeader('cache-control', 'no-store');
    response.setHeader('referrer-policy', 'no-referrer');
    response.setHeader('cross-origin-resource-policy', 'same-origin');
    response.setHeader('content-security-policy', "frame-ancestors 'none'");
    if (refusal) return end(response, 403, refusal);
    const path = (request.url ?? '/').split('?')[0];
    if (request.method === 'GET' && path === '/') {
      response.setHeader('content-type', 'text/html; charset=utf-8');
      return void response.end(pageTemplate());
    }
    if (!this.#hasToken(request)) return end(response, 403, 'missing or wrong token');
    if (request.method === 'GET' && path === '/record') return this.#stream(response);
    if (request.method === 'POST' && path === '/act') return this.#handleAction(request, response);
    return end(response, 404, 'not found');
  }

  /** Rejects requests through another host's name, and from another site's page. */
  #findRejection({ headers }: IncomingMessage): string | undefined {
    const address = this.server?.address();
    const port = typeof address === 'object' ? address?.port : undefined;
    const hosts = [`127.0.0.1:${port}`, `localhost:${port}`];
    if (!hosts.includes(headers.host ?? '')) return 'wrong Host header';
    if (headers.origin !== undefined && !hosts.some((host) => headers.origin === `http://${host}`)) return 'cross-origin request';
    const site = headers['sec-fetch-site'];
    return site === undefined || site === 'same-origin' || site === 'none' || headers['sec-fetch-mode'] === 'navigate' ? undefined : 'cross-origin request';
  }

  #hasToken({ headers }: IncomingMessage): boolean {
    const given = Buffer.from(/^Bearer (.+)$/.exec(headers.authorization ?? '')?.[1] ?? '');
    return given.length === this.#token.length && timingSafeEqual(given, this.#token);
  }

  /** Sends a record's lines as they arrive, then those of each later run, until the page is closed. */
  async #stream(response: ServerResponse): Promise<void> {
    response.setHeader('content-type', 'application/x-ndjson; charset=utf-8');
    const isGone = (): boolean => response.destroyed || this.#closed;
    const send = async (text: string): Promise<void> => {
      if (!response.write(text))
        await Promise.race([new Promise((resolve) => response.once('drain', resolve)), new Promise((resolve) => response.once('close', resolve))]);
    };
    let record = this.#openFirstRecord();
    for (let isFirst = true; !isGone(); isFirst = false) {
      const { nameFile, source } = this.#served.names(record.info.root ?? this.#served.root);
      const head = pageHead(record, this.#served.root, isUnderWay(record.folder, record.info));
      await send(`${isFirst ? JSON.stringify(head) : serializePageEntry({ type: 'new-run', head })}\n`);
      await this.#sendRecord(record, new PageWriter(record.folder, nameFile, source), send, isGone);
      if (isGone()) return;
      if (!this.#served.follows) return void response.end();
      record = readRecorded(await this.#newer(record, isGone));
    }
  }

  /** Sends a record as it grows, until its run is over. A report is sent at once. */
  async #sendRecord(record: OpenedRecord, writer: PageWriter, send: (text: string) => Promise<void>, isGone: () => boolean): Promise<void> {
    const { folder } = record;
    if (folder === undefined) {
      for (const entry of record.entries()) for (const text of writer.lines(entry)) await send(`${text}\n`);
      return;
    }
    const tails = new Map<string, LineReader>();
    let last: LineReader | undefined;
    for (;;) {
      const info = readInfo(folder);
      // Read before the journals, so that everything written before the end of the run is included.
      const isOver = info === undefined || !isUnderWay(folder, info);
      for (const path of listJournals(folder)) {
        const tail = tails.get(path) ?? new LineReader(path);
        tails.set(path, tail);
        for (const lines of tail.read()) {
          const output = last === undefined || last === tail ? [] : [serializePageEntry({ type: 'header', version: JOURNAL_VERSION, lane: findLane(path) })];
          last = tail;
          for (const line of lines) output.push(...writer.lines(line));
          if (output.length > 0) await send(`${output.join('\n')}\n`);
          if (isGone()) break;
        }
      }
      if (isOver || isGone()) {
        for (const tail of tails.values()) tail.close();
        if (info) await send(`${serializePageEntry({ type: 'run-ended', info: withoutRoot(info) })}\n`);
        return;
      }
      await wait(LOOK_INTERVAL_MS);
    }
  }

  /** The record that the server was started for, or the latest one if that has been removed since. */
  #openFirstRecord(): OpenedRecord {
    const { record, follows, root } = this.#served;
    if (record.folder === undefined || readInfo(record.folder)) return record;
    const [newest] = follows ? listEarlierRuns(root) : [];
    if (!newest) throw new Error(`the record ${record.name} was removed or damaged. Run red-lattice view again.`);
    return readRecorded(newest);
  }

  async #newer({ folder, info }: OpenedRecord, isGone: () => boolean): Promise<RecordReference> {
    for (;;) {
      await wait(NEW_RECORD_INTERVAL_MS);
      const [newest] = listEarlierRuns(this.#served.root);
      if (isGone() || (newest && newest.folder !== folder && newest.info.started >= info.started)) return newest ?? { folder: folder ?? '', info };
    }
  }

  async #handleAction(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const action = await readBody(request);
    if (typeof action === 'string') return end(response, 400, action);
    if (action.kind === 'stop') {
      if (!this.#run) return end(response, 409, 'this run was not started from this page. Stop it where it was started.');
      this.#run.kill('SIGINT');
      return end(response, 200, 'stopping');
    }
    if (this.#run) return end(response, 409, 'a run started from this page is in progress');
    const { record, root, command } = this.#served;
    const where = record.info.command.slice(1);
    const { options, remove } =
      action.kind === 'ids' ? idFile(action.ids ?? []) : { options: action.kind === 'failed' ? [...where, '--failed'] : where, remove: undefined };
    const run = spawn(process.execPath, [command, 'run', '--show', 'summary', ...options], { cwd: root, stdio: 'ignore' });
    this.#run = run;
    const onRunEnd = (): void => {
      remove?.();
      if (this.#run === run) this.#run = undefined;
    };
    run.once('exit', onRunEnd);
    run.once('error', onRunEnd);
    end(response, 202, 'started');
  }
}

/** Passes ids in a file, since there can be thousands: the length of arguments is limited. */
function idFile(ids: readonly string[]): { readonly options: readonly string[]; remove(): void } {
  const folder = mkdtempSync(join(tmpdir(), 'red-lattice-ids-'));
  const path = join(folder, 'ids.txt');
  writeFileSync(path, `${ids.join('\n')}\n`);
  return { options: ['--id-file', path], remove: () => rmSync(folder, { recursive: true, force: true }) };
}

/** A request that fails does not end the server. */
function fail(response: ServerResponse, { message }: Error): void {
  if (response.destroyed) return;
  if (response.headersSent) response.destroy();
  else end(response, 500, message);
}

const findLane = (path: string): number => Number(/lane-(\d+)/.exec(path)?.[1] ?? 0);

function end(response: ServerResponse, status: number, reason: string): void {
  response.statusCode = status;
  response.setHeader('content-type', 'text/plain; charset=utf-8');
  response.end(reason);
}

/** Ids cannot contain control characters. */
const isId = (id: unknown): id is string => typeof id === 'string' && id !== '' && !/[\u0000-\u001f]/.test(id);

/** Parses a request. Returns an error message if it is invalid. */
async function readBody(request: IncomingMessage): Promise<PageRequest | string> {
  if (request.headers['content-type'] !== 'application/json') return 'the request is not JSON';
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of request as AsyncIterable<Buffer>) {
    size += chunk.length;
    if (size > MAX_REQUEST_BYTES) return 'the request is too large';
    chunks.push(chunk);
  }
  try {
    const { kind, ids } = JSON.parse(Buffer.concat(chunks).toString()) as Partial<PageRequest>;
    if (kind !== 'failed' && kind !== 'all' && kind !== 'ids' && kind !== 'stop') return 'unknown request';
    if (kind === 'ids' && !(Array.isArray(ids) && ids.length > 0 && ids.length <= 5000 && ids.every(isId))) return 'expected 1 to 5,000 ids';
    return { kind, ...(ids && { ids }) };
  } catch {
    return 'the request is not JSON';
  }
}
