export function makeRecord(folder: string, size: { readonly cases: number; readonly tests?: number; readonly failsEvery?: number }): void;
