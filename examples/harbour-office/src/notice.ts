import type { Tariff } from './tariff.ts';

const euros = (cents: number): string => `${(cents / 100).toFixed(2)} EUR`;

/** The notice about a tariff at the quay. */
export function writeNotice({ edition, bands, perMetreAbove, longStays, power }: Tariff): string {
  return [
    `BERTH DUES ${edition}`,
    '',
    'A night in summer, for a monohull:',
    ...bands.map(({ upTo, price }) => `  up to ${String(upTo).padStart(2)} m  ${euros(price).padStart(10)}`),
    `  each further metre ${euros(perMetreAbove)}`,
    '',
    ...longStays.map(({ from, off }) => `From ${from} nights on, ${off * 100} % less.`),
    `Shore power: ${euros(power.price)} a night, above ${power.upTo} m ${euros(power.priceAbove)}.`,
    '',
  ].join('\n');
}
