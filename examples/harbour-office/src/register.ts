import { BerthBook, type Booking } from './bookings.ts';

export type Answer = 'entered' | 'taken' | 'past' | 'empty';

/** Stores bookings. */
export interface Register {
  /** Enters a booking, or returns why it is rejected. */
  enter(booking: Booking): Promise<Answer>;
  /** The vessel at a berth on a day. */
  at(berth: string, day: string): Promise<string | undefined>;
  /** The bookings that overlap the days from one up to another, which is excluded, by berth and arrival. */
  between(from: string, to: string): Promise<Booking[]>;
  size(): Promise<number>;
}

/** A register in memory. */
export function memoryRegister(today: () => string): Register {
  const book = new BerthBook(today);
  return {
    enter: async (booking) => book.enter(booking),
    at: async (berth, day) => book.at(berth, day),
    between: async (from, to) => book.between(from, to),
    size: async () => book.size,
  };
}

/** The part of a database that the register uses. */
export interface Database {
  query<Row>(sql: string, values?: unknown[]): Promise<{ rows: Row[] }>;
}

/** The changes of the database, in order. */
export const migrations: readonly string[] = [
  'CREATE TABLE bookings (id serial PRIMARY KEY, berth text NOT NULL, vessel text NOT NULL, arrival date NOT NULL, departure date NOT NULL)',
  'CREATE INDEX bookings_by_berth ON bookings (berth, arrival)',
  "ALTER TABLE bookings ADD CONSTRAINT stay CHECK (arrival < departure), ADD CONSTRAINT named CHECK (vessel <> '')",
];

/** A register in a database with these tables. */
export function databaseRegister(database: Database, today: () => string): Register {
  return {
    async enter({ berth, vessel, from, to }) {
      if (to <= from) return 'empty';
      if (from < today()) return 'past';
      const { rows } = await database.query(
        `INSERT INTO bookings (berth, vessel, arrival, departure)
         SELECT $1, $2, $3::date, $4::date
         WHERE NOT EXISTS (SELECT 1 FROM bookings WHERE berth = $1 AND arrival < $4::date AND $3::date < departure)
         RETURNING id`,
        [berth, vessel, from, to],
      );
      return rows.length === 1 ? 'entered' : 'taken';
    },
    async at(berth, day) {
      const { rows } = await database.query<{ vessel: string }>(
        'SELECT vessel FROM bookings WHERE berth = $1 AND arrival <= $2::date AND $2::date < departure',
        [berth, day],
      );
      return rows[0]?.vessel;
    },
    async between(from, to) {
      const { rows } = await database.query<Booking>(
        `SELECT berth, vessel, arrival::text AS "from", departure::text AS "to" FROM bookings
         WHERE arrival < $2::date AND $1::date < departure ORDER BY berth, arrival`,
        [from, to],
      );
      return rows;
    },
    async size() {
      const { rows } = await database.query<{ size: number }>('SELECT count(*)::int AS size FROM bookings');
      return rows[0]?.size ?? 0;
    },
  };
}
