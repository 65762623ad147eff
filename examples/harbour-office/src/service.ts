import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Booking } from './bookings.ts';
import type { Answer, Register } from './register.ts';

export interface Service {
  readonly url: string;
  close(): Promise<void>;
}

export interface ServiceOptions {
  readonly register: Register;
  /** Tokens, each with the last day on which it is valid. */
  readonly tokens: Readonly<Record<string, string>>;
  today(): string;
}

interface Reply {
  readonly status: number;
  readonly body: object;
}

const statusOf: Readonly<Record<Answer, number>> = { entered: 201, taken: 409, past: 422, empty: 422 };
const fields = ['berth', 'vessel', 'from', 'to'] as const;

/** Starts the bookings service on a free port of 127.0.0.1: `POST /bookings` with a token, and `GET /bookings?from=…&to=…` for everyone. */
export async function startService(options: ServiceOptions): Promise<Service> {
  const server = createServer((request, response) => {
    answer(request, options).then(
      ({ status, body }) => response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body)),
      () => response.writeHead(500).end('{}'),
    );
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  return { url: `http://127.0.0.1:${port}`, close: () => closing(server) };
}

const closing = (server: Server): Promise<void> =>
  new Promise((resolve) => {
    server.close(() => resolve());
    server.closeAllConnections();
  });

async function answer(request: IncomingMessage, { register, tokens, today }: ServiceOptions): Promise<Reply> {
  const { pathname, searchParams } = new URL(request.url ?? '/', 'http://127.0.0.1');
  if (pathname !== '/bookings') return { status: 404, body: {} };
  if (request.method === 'GET') {
    const [from, to] = [searchParams.get('from'), searchParams.get('to')];
    if (!isRight('from', from) || !isRight('to', to))
      return { status: 422, body: { field: isRight('from', from) ? 'to' : 'from', problem: 'missing or wrong' } };
    return { status: 200, body: await register.between(from as string, to as string) };
  }
  if (request.method !== 'POST') return { status: 405, body: {} };
  const goodUntil = tokens[request.headers.authorization?.replace('Bearer ', '') ?? ''];
  if (goodUntil === undefined || goodUntil < today()) return { status: 401, body: { problem: 'the token is invalid or expired' } };
  const booking = read(await textOf(request));
  const wrong = fields.find((field) => !isRight(field, booking[field]));
  if (wrong) return { status: 422, body: { field: wrong, problem: 'missing or wrong' } };
  const said = await register.enter(booking as unknown as Booking);
  return { status: statusOf[said], body: { answer: said } };
}

function read(text: string): Readonly<Record<string, unknown>> {
  try {
    return JSON.parse(text) as Record<string, unknown>;
  } catch {
    return {};
  }
}

const isRight = (field: (typeof fields)[number], value: unknown): boolean =>
  typeof value === 'string' &&
  (field === 'from' || field === 'to' ? /^\d{4}-\d\d-\d\d$/.test(value) && !Number.isNaN(Date.parse(value)) : value.trim() !== '' && value.length <= 60);

async function textOf(request: IncomingMessage): Promise<string> {
  let text = '';
  for await (const piece of request) text += piece;
  return text;
}
