type ErrorEvent = { readonly error?: unknown; readonly message?: unknown; readonly reason?: unknown };

interface Page {
  readonly document?: unknown;
  addEventListener?(type: string, listener: (event: ErrorEvent) => void): void;
  removeEventListener?(type: string, listener: (event: ErrorEvent) => void): void;
}

/** Listens for uncaught errors and unhandled rejections in a page. Returns a function that stops listening. Elsewhere it does nothing: the process owner handles them. */
export function listenForErrors(handleError: (error: unknown, kind: 'error' | 'rejection') => void): () => void {
  const page = globalThis as Page;
  if (page.document === undefined || !page.addEventListener) return () => undefined;
  const onError = ({ error, message }: ErrorEvent): void => handleError(error ?? new Error(String(message)), 'error');
  const onRejection = ({ reason }: ErrorEvent): void => handleError(reason, 'rejection');
  page.addEventListener('error', onError);
  page.addEventListener('unhandledrejection', onRejection);
  return () => {
    page.removeEventListener?.('error', onError);
    page.removeEventListener?.('unhandledrejection', onRejection);
  };
}
