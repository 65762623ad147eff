import { PGlite } from '@electric-sql/pglite';
import { fixture } from 'red-lattice';
import { databaseRegister, memoryRegister, migrations, type Register } from '../src/register.ts';
import { startService } from '../src/service.ts';
import { calendar } from './fixtures.ts';

/** A database with all its tables, as a file: migrated once per run, and sent to every lane. */
export const migrated = fixture('migrated database', {
  scope: 'run',
  // The database is compiled first, which takes long on a slow machine.
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

/** The database: one per lane. */
export const database = fixture('database', {
  scope: 'lane',
  timeout: 120_000,
  needs: { migrated },
  setup: (_moment, { migrated }) => PGlite.create({ loadDataDir: migrated }),
  teardown: (database) => database.close(),
});

/** A transaction for each case, rolled back at its end, so that the next case finds empty tables. */
export const transaction = fixture('transaction', {
  needs: { database },
  async setup({ defer }, { database }) {
    await database.exec('BEGIN');
    defer(() => database.exec('ROLLBACK'));
    return database;
  },
});

/** The register of the storage suite. The suite's variants replace it. */
export const register = fixture('register', {
  needs: { calendar },
  setup: (_moment, { calendar }): Register => memoryRegister(calendar.today),
});

export const inDatabase = fixture('register in the database', {
  needs: { transaction, calendar },
  setup: (_moment, { transaction, calendar }): Register => databaseRegister(transaction, calendar.today),
});

/** The service over HTTP: one per lane. */
export const service = fixture('bookings service', {
  scope: 'lane',
  needs: { database },
  setup: (_moment, { database }) => {
    const today = (): string => '2031-04-01';
    return startService({ register: databaseRegister(database, today), tokens: { 'harbour-2031': '2031-12-31', 'harbour-2029': '2029-12-31' }, today });
  },
  teardown: (service) => service.close(),
});

/** The request. A suite or a row states only what differs. */
export const request = fixture('booking request', {
  settings: { token: 'harbour-2031', berth: 'N4', vessel: 'Gull', from: '2031-04-10', to: '2031-04-12' },
  setup: ({ settings }) => settings,
});

/** The expected answer. */
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

/** The number of bookings in the database after the answer. */
export const entries = fixture('entries', {
  needs: { answer, transaction, calendar },
  setup: (_moment, { transaction, calendar }) => databaseRegister(transaction, calendar.today).size(),
});
