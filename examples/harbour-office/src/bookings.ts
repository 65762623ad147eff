/** A vessel at a berth, from a day up to another, which is excluded. Days are ISO dates. */
export interface Booking {
  readonly berth: string;
  readonly vessel: string;
  readonly from: string;
  readonly to: string;
}

/** The book of all stays. */
export class BerthBook {
  readonly #bookings: Booking[] = [];
  readonly #today: () => string;
  #closed = false;

  constructor(today: () => string) {
    this.#today = today;
  }

  get size(): number {
    return this.#bookings.length;
  }

  /** Enters a booking, or returns why it is rejected. */
  enter(booking: Booking): 'entered' | 'taken' | 'past' | 'empty' {
    if (this.#closed) throw new Error('the berth book is closed');
    if (booking.to <= booking.from) return 'empty';
    if (booking.from < this.#today()) return 'past';
    if (this.#bookings.some((other) => other.berth === booking.berth && other.from < booking.to && booking.from < other.to)) return 'taken';
    this.#bookings.push(booking);
    return 'entered';
  }

  at(berth: string, day: string): string | undefined {
    return this.#bookings.find((booking) => booking.berth === berth && booking.from <= day && day < booking.to)?.vessel;
  }

  /** The bookings that overlap the days from one up to another, which is excluded, by berth and arrival. */
  between(from: string, to: string): Booking[] {
    return this.#bookings
      .filter((booking) => booking.from < to && from < booking.to)
      .sort((a, b) => a.berth.localeCompare(b.berth) || a.from.localeCompare(b.from));
  }

  close(): void {
    this.#closed = true;
  }
}
