import { currentTariff, type Tariff } from './tariff.ts';

/** The edition of next year: shore power costs more. */
export const nextTariff: Tariff = { ...currentTariff, edition: '2032', power: { upTo: 12, price: 420, priceAbove: 680 } };
