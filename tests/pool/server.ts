import { type ChildProcess, spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { createServer } from 'node:net';
import { createClient } from '@redis/client';
import { fixture } from 'red-lattice';
import { tempDirectory } from 'red-lattice/node';

const program = '/usr/bin/redis-server';

/** The reason for skipping tests with a server. CI never skips them. */
export const withoutServer = !existsSync(program) && process.env['CI'] === undefined && `Redis is not installed at ${program}`;

/**
 * Finds a free port below those that systems give to outgoing connections. A client that reconnects to such a port, while no server
 * listens, can be given the port itself, and be connected to itself: then the server could not start again.
 */
async function freePort(): Promise<number> {
  for (;;) {
    const port = 20_000 + Math.floor(Math.random() * 12_000);
    const probe = createServer();
    const isFree = await new Promise<boolean>((resolve) => {
      probe.once('error', () => resolve(false)).listen(port, '127.0.0.1', () => resolve(true));
    });
    await new Promise((resolve) => probe.close(resolve));
    if (isFree) return port;
  }
}

/** A server that a test can stop and start again. */
export class Server {
  readonly port: number;
  readonly #folder: string;
  readonly #isPersistent: boolean;
  #process: ChildProcess | undefined;

  constructor(port: number, folder: string, isPersistent: boolean) {
    this.port = port;
    this.#folder = folder;
    this.#isPersistent = isPersistent;
  }

  url(prefix: string, lease = 3000): string {
    return `redis://127.0.0.1:${this.port}?prefix=${prefix}&lease=${lease}`;
  }

  start(): Promise<void> {
    const keeps = ['--save', '', '--appendonly', this.#isPersistent ? 'yes' : 'no', '--appendfsync', 'always'];
    const server = spawn(program, ['--port', String(this.port), '--bind', '127.0.0.1', '--dir', this.#folder, ...keeps], {
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    this.#process = server;
    return new Promise((resolve, reject) => {
      let output = '';
      server.stdout.on('data', (text) => {
        output += text;
        if (output.includes('Ready to accept connections')) resolve();
      });
      server.once('close', () => reject(new Error(`the server ended before it was ready:\n${output}`)));
    });
  }

  stop(): Promise<void> {
    const server = this.#process;
    this.#process = undefined;
    return new Promise((resolve) => {
      if (!server) return resolve();
      server.once('close', () => resolve());
      server.kill('SIGKILL');
    });
  }

  /** Sends one command. */
  async command(...words: string[]): Promise<unknown> {
    const client = createClient({ url: `redis://127.0.0.1:${this.port}`, RESP: 2 });
    client.on('error', () => undefined);
    await client.connect();
    const reply = await client.sendCommand(words);
    client.destroy();
    return reply;
  }
}

export const server = fixture('server', {
  scope: 'file',
  needs: { folder: tempDirectory('file') },
  async setup(_, { folder }) {
    const server = new Server(await freePort(), folder, false);
    await server.start();
    return server;
  },
  teardown: (server) => server.stop(),
});

/** A server for one case. */
export const ownServer = fixture('own server', {
  settings: { isPersistent: false },
  needs: { folder: tempDirectory() },
  async setup({ settings }, { folder }) {
    const server = new Server(await freePort(), folder, settings.isPersistent);
    await server.start();
    return server;
  },
  teardown: (server) => server.stop(),
});
