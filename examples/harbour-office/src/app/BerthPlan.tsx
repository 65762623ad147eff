import { useCallback, useEffect, useState } from 'react';
import { berths, fits, type Vessel } from '../berths.ts';
import type { Booking } from '../bookings.ts';
import { dayAfter, daysFrom } from '../days.ts';
import { today, token } from '../demo.ts';

const shownDays = 14;

/** The occupied berths, and the free ones for the vessel at the desk. Clicking a free day of a suitable berth starts a booking. */
export function BerthPlan({ vessel }: { readonly vessel: Vessel & { readonly name: string } }) {
  const [bookings, setBookings] = useState<readonly Booking[]>([]);
  const [nights, setNights] = useState(2);
  const [said, setSaid] = useState('');
  const days = daysFrom(today, shownDays);

  const read = useCallback(async () => {
    const response = await fetch(`api/bookings?from=${today}&to=${dayAfter(today, shownDays)}`);
    setBookings(response.ok ? ((await response.json()) as Booking[]) : []);
  }, []);
  useEffect(() => void read(), [read]);

  const book = async (berth: string, from: string): Promise<void> => {
    const booking: Booking = { berth, vessel: vessel.name, from, to: dayAfter(from, nights) };
    const response = await fetch('api/bookings', { method: 'POST', headers: { authorization: `Bearer ${token}` }, body: JSON.stringify(booking) });
    const body = (await response.json()) as { answer?: string; field?: string };
    // Updates the plan first, so that the message appears next to it.
    await read();
    setSaid(
      body.answer === 'entered'
        ? `${vessel.name} is at the ${berth} from ${from}.`
        : body.answer === 'taken'
          ? `The ${berth} is taken before ${booking.to}.`
          : `Not entered: ${body.field ?? body.answer}.`,
    );
  };

  return (
    <section>
      <h2>Berth plan</h2>
      <p className="fields">
        <label>
          nights <input type="number" min="1" max="30" value={nights} onChange={(event) => setNights(event.target.valueAsNumber || 1)} />
        </label>
        <span role="status">{said}</span>
      </p>
      <table className="plan">
        <thead>
          <tr>
            <th scope="col">berth</th>
            {days.map((day) => (
              <th scope="col" key={day}>
                {day.slice(8)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {berths.map((berth) => {
            const isFit = fits(vessel, berth, 0);
            const atHighWater = !isFit && fits(vessel, berth, 1.5);
            return (
              <tr key={berth.name} className={isFit ? 'fits' : undefined}>
                <th scope="row">
                  {berth.name}
                  <small>{isFit ? 'fits' : atHighWater ? 'aground at low water' : 'too small'}</small>
                </th>
                {days.map((day) => {
                  const there = bookings.find((booking) => booking.berth === berth.name && booking.from <= day && day < booking.to);
                  if (there) return day === there.from || day === today ? <Stay key={day} booking={there} from={day} last={days.at(-1) as string} /> : null;
                  return (
                    <td key={day}>
                      {isFit && (
                        <button type="button" aria-label={`book the ${berth.name} from ${day}`} onClick={() => void book(berth.name, day)}>
                          +
                        </button>
                      )}
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

function Stay({ booking: { vessel, to }, from, last }: { readonly booking: Booking; readonly from: string; readonly last: string }) {
  const end = to > last ? dayAfter(last) : to;
  return (
    <td className="stay" colSpan={Math.round((Date.parse(end) - Date.parse(from)) / 86_400_000)}>
      {vessel}
    </td>
  );
}
