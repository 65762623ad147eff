import { currentTariff, type Dues, quote, type Stay, type Tariff } from './tariff.ts';

/** The draft of an edition: the prices should stay the same, and should be simpler to compute. */
export const draftTariff: Tariff = {
  ...currentTariff,
  edition: '2032, draft',
  bands: [...currentTariff.bands.slice(0, 2), { upTo: 11.99, price: 3100 }, ...currentTariff.bands.slice(3)],
};

/** Like `quote`, with the draft. */
export function quoteByDraft(stay: Stay): Dues {
  const season = stay.hull === 'cat' ? 'summer' : stay.season;
  return quote(draftTariff, { ...stay, season });
}
