export type Season = 'summer' | 'winter';
export type Hull = 'mono' | 'cat' | 'tri';

/** A stay to quote: metres of length over all, and whole nights. */
export interface Stay {
  readonly loa: number;
  readonly hull: Hull;
  readonly season: Season;
  readonly nights: number;
  readonly resident: boolean;
  readonly power: boolean;
}

/** The dues of a stay, in cents. */
export interface Dues {
  readonly berth: number;
  readonly power: number;
  readonly total: number;
}

/** The rules of one edition of the tariff. Prices are in cents per night, for a monohull in summer. */
export interface Tariff {
  readonly edition: string;
  /** The price up to a length. The first suitable band applies. */
  readonly bands: readonly { readonly upTo: number; readonly price: number }[];
  /** The price for each started metre above the last band. */
  readonly perMetreAbove: number;
  readonly hull: Readonly<Record<Hull, number>>;
  readonly winter: number;
  /** The share of the price that is deducted from a number of nights on. The longest applicable stay counts. */
  readonly longStays: readonly { readonly from: number; readonly off: number }[];
  readonly residentOff: number;
  /** The price of a night's shore power, up to and above a length. */
  readonly power: { readonly upTo: number; readonly price: number; readonly priceAbove: number };
}

export const currentTariff: Tariff = {
  edition: '2031',
  bands: [
    { upTo: 8, price: 1800 },
    { upTo: 10, price: 2400 },
    { upTo: 12, price: 3100 },
    { upTo: 15, price: 4200 },
    { upTo: 18, price: 5800 },
  ],
  perMetreAbove: 640,
  hull: { mono: 1, cat: 1.5, tri: 1.75 },
  winter: 0.6,
  longStays: [
    { from: 28, off: 0.25 },
    { from: 7, off: 0.1 },
  ],
  residentOff: 0.15,
  power: { upTo: 12, price: 380, priceAbove: 620 },
};

/** Rounds half a cent up. The small addition compensates for binary fractions. */
const toCents = (cents: number): number => Math.floor(cents + 0.5 + 1e-6);

/** Quotes the dues of a stay. Throws a RangeError for an invalid stay. */
export function quote(tariff: Tariff, stay: Stay): Dues {
  if (!(stay.loa > 0)) throw new RangeError(`invalid length: ${stay.loa} m`);
  if (!Number.isInteger(stay.nights) || stay.nights < 1) throw new RangeError(`invalid stay: ${stay.nights} nights`);
  const night = nightPrice(tariff, stay);
  const longStay = tariff.longStays.find(({ from }) => stay.nights >= from)?.off ?? 0;
  const resident = stay.resident ? tariff.residentOff : 0;
  const berth = toCents(night * stay.nights * (1 - longStay) * (1 - resident));
  const power = stay.power ? (stay.loa <= tariff.power.upTo ? tariff.power.price : tariff.power.priceAbove) * stay.nights : 0;
  return { berth, power, total: berth + power };
}

function nightPrice(tariff: Tariff, { loa, hull, season }: Stay): number {
  const last = tariff.bands.at(-1) ?? { upTo: 0, price: 0 };
  const band = tariff.bands.find(({ upTo }) => loa <= upTo);
  const base = band?.price ?? last.price + Math.ceil(loa - last.upTo) * tariff.perMetreAbove;
  return base * tariff.hull[hull] * (season === 'winter' ? tariff.winter : 1);
}
