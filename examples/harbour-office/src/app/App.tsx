import { useState } from 'react';
import type { Vessel } from '../berths.ts';
import { BerthPlan } from './BerthPlan.tsx';
import { Quote } from './Quote.tsx';
import { Tides } from './Tides.tsx';

/** One vessel at a time stands at the desk: what it costs, where it can lie, when it can pass. */
export function App() {
  const [vessel, setVessel] = useState<Vessel & { readonly name: string }>({ name: 'Kittiwake', loa: 9.5, hull: 'mono', draught: 1.4 });
  return (
    <>
      <header>
        <h1>Harbour office</h1>
        <fieldset className="vessel">
          <legend>Vessel</legend>
          <label>
            name <input value={vessel.name} maxLength={60} onChange={(event) => setVessel({ ...vessel, name: event.target.value })} />
          </label>
          <label>
            length, m{' '}
            <input
              type="number"
              min="1"
              max="60"
              step="0.1"
              value={vessel.loa}
              onChange={(event) => setVessel({ ...vessel, loa: event.target.valueAsNumber })}
            />
          </label>
          <label>
            hull{' '}
            <select value={vessel.hull} onChange={(event) => setVessel({ ...vessel, hull: event.target.value as Vessel['hull'] })}>
              <option value="mono">one</option>
              <option value="cat">two</option>
              <option value="tri">three</option>
            </select>
          </label>
          <label>
            draught, m{' '}
            <input
              type="number"
              min="0.1"
              max="6"
              step="0.1"
              value={vessel.draught}
              onChange={(event) => setVessel({ ...vessel, draught: event.target.valueAsNumber })}
            />
          </label>
        </fieldset>
      </header>
      <main>
        <Quote vessel={vessel} />
        <BerthPlan vessel={vessel} />
        <Tides draught={vessel.draught} />
      </main>
    </>
  );
}
