export const chromium: string;
export const flags: readonly string[];
