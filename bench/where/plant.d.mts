type Row = Readonly<Record<string, unknown>>;
type Cause = readonly { readonly column: string; readonly holds: (value: unknown) => boolean; readonly value?: unknown; readonly isRange?: boolean }[];
type Kind = 'value' | 'pair' | 'triple' | 'range' | 'two' | 'none';

export const kinds: readonly Kind[];
export function plant(
  seed: number,
  kind?: Kind,
): { readonly rows: readonly Row[]; readonly failed: readonly boolean[]; readonly causes: readonly Cause[]; readonly isFlipped: boolean; readonly kind: Kind };
export function meets(row: Row, cause: Cause | undefined): boolean;
