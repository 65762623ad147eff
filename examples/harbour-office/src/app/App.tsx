import { useState } from 'react';
import type { Vessel } from '../berths.ts';
import { BerthPlan } from './BerthPlan.tsx';
import { Quote } from './Quote.tsx';
import { Tides } from './Tides.tsx';

/** The desk handles one vessel at a time: its dues, its possible berths, and when it can pass the sill. */
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
          <Metres name="length" least={1} most={60} value={vessel.loa} onChange={(loa) => setVessel({ ...vessel, loa })} />
          <label>
            hull{' '}
            <select value={vessel.hull} onChange={(event) => setVessel({ ...vessel, hull: event.target.value as Vessel['hull'] })}>
              <option value="mono">one</option>
              <option value="cat">two</option>
              <option value="tri">three</option>
            </select>
          </label>
          <Metres name="draught" least={0.1} most={6} value={vessel.draught} onChange={(draught) => setVessel({ ...vessel, draught })} />
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

interface MetresProps {
  readonly name: string;
  readonly least: number;
  readonly most: number;
  /** NaN while the field is empty. */
  readonly value: number;
  readonly onChange: (value: number) => void;
}

const Metres = ({ name, least, most, value, onChange }: MetresProps) => (
  <label>
    {name}, m{' '}
    <input
      type="number"
      min={least}
      max={most}
      step={0.1}
      value={Number.isNaN(value) ? '' : value}
      onChange={(event) => onChange(event.target.valueAsNumber)}
    />
  </label>
);
