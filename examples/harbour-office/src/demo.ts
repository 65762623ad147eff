import type { Booking } from './bookings.ts';
import type { Turn } from './tides.ts';

/** The day of the demonstration. */
export const today = '2031-05-03';
export const token = 'harbour-2031';

export const demoBookings: readonly Booking[] = [
  { berth: 'north pier', vessel: 'Gull', from: '2031-05-03', to: '2031-05-07' },
  { berth: 'north pier', vessel: 'Tern', from: '2031-05-08', to: '2031-05-10' },
  { berth: 'south quay', vessel: 'Twin Petrel', from: '2031-05-04', to: '2031-05-12' },
  { berth: 'visitor', vessel: 'Skua', from: '2031-05-05', to: '2031-05-06' },
  { berth: 'visitor', vessel: 'Fulmar', from: '2031-05-09', to: '2031-05-16' },
];

const at = (time: string, metres: number): Turn => ({ at: new Date(time), metres });

/** High and low water of two days. */
export const demoTurns: readonly Turn[] = [
  at('2031-05-03T04:00Z', 0.6),
  at('2031-05-03T10:10Z', 3.0),
  at('2031-05-03T16:20Z', 0.7),
  at('2031-05-03T22:35Z', 2.9),
  at('2031-05-04T04:50Z', 0.8),
  at('2031-05-04T11:00Z', 2.8),
  at('2031-05-04T17:15Z', 0.9),
  at('2031-05-04T23:30Z', 2.7),
];
