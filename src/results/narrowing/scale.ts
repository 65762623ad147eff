import { isDate, type Scalar } from '../where/condition.ts';

/** Maps comparable values to whole numbers of steps. */
export interface Scale {
  toSteps(value: Scalar): number;
  fromSteps(steps: number): string | number;
}

const MS_PER_DAY = 86_400_000;
const MS_PER_MINUTE = 60_000;
const MAX_DECIMALS = 6;
const MIN_VALUES = 3;

/** Finds the scale of a column: integers, decimals with the most places of its values, days or minutes. Returns undefined for other values. */
export function findScale(values: readonly (Scalar | undefined)[]): Scale | undefined {
  const present = values.filter((value) => value !== undefined && value !== null);
  if (present.length < MIN_VALUES) return undefined;
  if (present.every((value) => typeof value === 'number' && Number.isFinite(value))) {
    const decimals = Math.min(MAX_DECIMALS, Math.max(...present.map((value) => String(value).split('.')[1]?.length ?? 0)));
    const factor = 10 ** decimals;
    return { toSteps: (value) => Math.round((value as number) * factor), fromSteps: (steps) => Number((steps / factor).toFixed(decimals)) };
  }
  if (!present.every(isDate)) return undefined;
  const isDay = present.every((value) => (value as string).length === 10);
  const step = isDay ? MS_PER_DAY : MS_PER_MINUTE;
  return {
    toSteps: (value) => Math.round(Date.parse(value as string) / step),
    fromSteps: (steps) => new Date(steps * step).toISOString().slice(0, isDay ? 10 : undefined),
  };
}
