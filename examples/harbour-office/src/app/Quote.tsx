import { useState } from 'react';
import type { Vessel } from '../berths.ts';
import { dayAfter, nightsBetween, seasonOf } from '../days.ts';
import { today } from '../demo.ts';
import { currentTariff, type Dues, quote } from '../tariff.ts';

const euros = (cents: number): string => (cents / 100).toFixed(2);

/** The dues of a stay, with their parts. */
export function Quote({ vessel }: { readonly vessel: Vessel }) {
  const [from, setFrom] = useState(today);
  const [to, setTo] = useState(dayAfter(today, 3));
  const [resident, setResident] = useState(false);
  const [power, setPower] = useState(true);
  const nights = nightsBetween(from, to);
  const season = seasonOf(from);
  const dues = quoted(() => quote(currentTariff, { ...vessel, season, nights, resident, power }));
  return (
    <section>
      <h2>Quote</h2>
      <p className="fields">
        <label>
          from <input type="date" value={from} min={today} onChange={(event) => setFrom(event.target.value)} />
        </label>
        <label>
          to <input type="date" value={to} min={dayAfter(from || today)} onChange={(event) => setTo(event.target.value)} />
        </label>
        <label>
          <input type="checkbox" checked={resident} onChange={(event) => setResident(event.target.checked)} /> resident
        </label>
        <label>
          <input type="checkbox" checked={power} onChange={(event) => setPower(event.target.checked)} /> shore power
        </label>
      </p>
      {typeof dues === 'string' ? (
        <p role="alert">{dues}</p>
      ) : (
        <table>
          <tbody>
            <tr>
              <th scope="row">
                berth, {nights} {nights === 1 ? 'night' : 'nights'} in {season}
              </th>
              <td>{euros(dues.berth)}</td>
            </tr>
            <tr>
              <th scope="row">shore power</th>
              <td>{euros(dues.power)}</td>
            </tr>
            <tr className="total">
              <th scope="row">dues</th>
              <td>{euros(dues.total)}</td>
            </tr>
          </tbody>
        </table>
      )}
    </section>
  );
}

/** The dues of a stay, or why the stay is invalid. */
function quoted(make: () => Dues): Dues | string {
  try {
    return make();
  } catch (error) {
    return (error as Error).message;
  }
}
