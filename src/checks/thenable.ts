export const isThenable = (value: unknown): value is PromiseLike<unknown> =>
  (typeof value === 'object' ? value !== null : typeof value === 'function') && typeof (value as { then?: unknown }).then === 'function';
