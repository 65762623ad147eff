import { fixture } from 'red-lattice';
import { BerthBook } from '../src/bookings.ts';
import { currentTariff, type Dues, quote, type Stay } from '../src/tariff.ts';

export interface Office {
  quote(stay: Stay): Dues;
}

/** Who works out the dues: once for a file, since it keeps nothing between quotes. */
export const office = fixture('office', {
  scope: 'file',
  setup: (): Office => ({ quote: (stay) => quote(currentTariff, stay) }),
});

/** The day that the harbour takes for today. */
export const calendar = fixture('calendar', {
  settings: { today: '2031-04-01' },
  setup: ({ settings }) => ({ today: () => settings.today }),
});

/** A book of its own for each case, closed at the end. */
export const berthBook = fixture('berth book', {
  needs: { calendar },
  setup: (_moment, { calendar }) => new BerthBook(calendar.today),
  teardown: (book) => book.close(),
});
