import { currentTariff, type Dues, quote, type Stay, type Tariff } from './tariff.ts';

/** The edition that is being discussed: the prices are to stay as they are, and shall be simpler to work out. */
export const draftTariff: Tariff = {
  ...currentTariff,
  edition: '2032, draft',
  bands: [...currentTariff.bands.slice(0, 2), { upTo: 11.99, price: 3100 }, ...currentTariff.bands.slice(3)],
};

/** As `quote`, by the draft. */
export function quoteByDraft(stay: Stay): Dues {
  const season = stay.hull === 'cat' ? 'summer' : stay.season;
  return quote(draftTariff, { ...stay, season });
}
