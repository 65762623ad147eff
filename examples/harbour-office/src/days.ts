/** Days are ISO dates, and counted in UTC. */
export const dayAfter = (day: string, days = 1): string => new Date(Date.parse(day) + days * 86_400_000).toISOString().slice(0, 10);

export const daysFrom = (day: string, count: number): string[] => Array.from({ length: count }, (_, i) => dayAfter(day, i));

export const nightsBetween = (from: string, to: string): number => Math.round((Date.parse(to) - Date.parse(from)) / 86_400_000);

/** Summer is from May to September. */
export const seasonOf = (day: string): 'summer' | 'winter' => (Number(day.slice(5, 7)) >= 5 && Number(day.slice(5, 7)) <= 9 ? 'summer' : 'winter');
