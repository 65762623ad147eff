import { PGlite } from '@electric-sql/pglite';
import { fixture } from 'red-lattice';
import { databaseRegister, memoryRegister, migrations, type Register } from '../src/register.ts';
import { startService } from '../src/service.ts';
import { calendar } from './fixtures.ts';

/** A database with all its tables, as a file: migrated once in the run, and handed to every lane. */
export const migrated = fixture('migrated database', {
  scope: 'run',
  // The database is compiled first, which takes a slow machine long.
  timeout: 120_000,
  async setup() {
    const database = await PGlite.create();
    for (const migration of migrations) await database.exec(migration);
    const dump = await database.dumpDataDir('none');
    await database.close();
    return dump as Blob;
  },
  transfer: {
    serialize: async (dump: Blob) => new Uint8Array(await dump.arrayBuffer()),
    deserialize: async (packed) => new Blob([(await packed) as Uint8Array<ArrayBuffer>]),
  },
});

/** The database itself: one for each lane. */
export const database = fixture('database', {
  scope: 'lane',
  timeout: 120_000,
  needs: { migrated },
  setup: (_moment, { migrated }) => PGlite.create({ loadDataDir: migrated }),
  teardown: (database) => database.close(),
});

/** A transaction for each case, taken back at its end: whatever a case enters, the next one finds the tables empty. */
export const transaction = fixture('transaction', {
  needs: { database },
  async setup({ defer }, { database }) {
    await database.exec('BEGIN');
    defer(() => database.exec('ROLLBACK'));
    return database;
  },
});

/** Where the suite of the storage keeps its bookings; its variants say where. */
export const register = fixture('register', {
  needs: { calendar },
  setup: (_moment, { calendar }): Register => memoryRegister(calendar.today),
});

export const inDatabase = fixture('register in the database', {
  needs: { transaction, calendar },
  setup: (_moment, { transaction, calendar }): Register => databaseRegister(transaction, calendar.today),
});

/** The service, over HTTP, once for each lane. */
export const service = fixture('bookings service', {
  scope: 'lane',
  needs: { database },
  setup: (_moment, { database }) => {
    const today = (): string => '2031-04-01';
    return startService({ register: databaseRegister(database, today), tokens: { 'harbour-2031': '2031-12-31', 'harbour-2029': '2029-12-31' }, today });
  },
  teardown: (service) => service.close(),
});

/** What is asked for: a suite or a row states only what differs. */
export const request = fixture('booking request', {
  settings: { token: 'harbour-2031', berth: 'N4', vessel: 'Gull', from: '2031-04-10', to: '2031-04-12' },
  setup: ({ settings }) => settings,
});

/** What is to come of it. */
export const expected = fixture('expected answer', {
  settings: { status: 201, field: undefined as string | undefined, entries: 1 },
  setup: ({ settings }) => settings,
});

/** The answer of the service to the request. */
export const answer = fixture('answer', {
  needs: { transaction, service, request },
  async setup(_moment, { service, request }) {
    const { token, ...booking } = request;
    const response = await fetch(`${service.url}/bookings`, { method: 'POST', headers: { authorization: `Bearer ${token}` }, body: JSON.stringify(booking) });
    return { status: response.status, body: (await response.json()) as { field?: string } };
  },
});

/** How many bookings the database holds when the answer is there. */
export const entries = fixture('entries', {
  needs: { answer, transaction, calendar },
  setup: (_moment, { transaction, calendar }) => databaseRegister(transaction, calendar.today).size(),
});
