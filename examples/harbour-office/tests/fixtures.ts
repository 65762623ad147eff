import { cell, factory, fixture, table } from 'red-lattice';
import { BerthBook } from '../src/bookings.ts';
import { currentTariff, type Dues, quote, type Stay } from '../src/tariff.ts';

export interface Office {
  quote(stay: Stay): Dues;
}

/** Computes dues. One instance per file, since it keeps nothing between quotes. */
export const office = fixture('office', {
  scope: 'file',
  setup: (): Office => ({ quote: (stay) => quote(currentTariff, stay) }),
});

/** The columns of the office's tables of stays. */
export const stayColumns = {
  loa: cell.number,
  hull: cell.oneOf('mono', 'cat', 'tri'),
  season: cell.oneOf('summer', 'winter'),
  nights: cell.integer,
  resident: cell.boolean,
  power: cell.boolean,
  due: cell.number.within(0.001),
};

/** The current day of the harbour. */
export const calendar = fixture('calendar', {
  settings: { today: '2031-04-01' },
  setup: ({ settings }) => ({ today: () => settings.today }),
});

/** A separate book for each case, closed at the end. */
export const berthBook = fixture('berth book', {
  needs: { calendar },
  setup: (_moment, { calendar }) => new BerthBook(calendar.today),
  teardown: (book) => book.close(),
});

/** Bookings of which a test states only what matters to it. Each has a separate berth and vessel. */
export const booking = factory(
  'booking',
  ({ n, random }) => ({ berth: `N${n}`, vessel: `Vessel ${n}`, from: '2031-04-08', to: random.pick(['2031-04-09', '2031-04-12']) }),
  { presets: { past: { from: '2031-03-30' } } },
);

/** A first booking of a berth. */
export const gull = { berth: 'N4', vessel: 'Gull', from: '2031-04-10', to: '2031-04-12' };

export const secondBookings = table(
  ['from', 'to', 'answer'],
  [
    ['2031-04-08', '2031-04-10', 'entered'],
    ['2031-04-08', '2031-04-11', 'taken'],
    ['2031-04-11', '2031-04-12', 'taken'],
    ['2031-04-12', '2031-04-13', 'entered'],
    ['2031-04-12', '2031-04-12', 'empty'],
    ['2031-03-31', '2031-04-02', 'past'],
  ],
);
