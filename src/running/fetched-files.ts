import type { FileSource } from '../cases/row.ts';

/** Taken before any test runs: tests may replace it. */
const originalFetch = globalThis.fetch;

/** Reads data files over HTTP, in pages. Folders cannot be listed. */
export const fetchedFiles: FileSource = {
  async *read(url) {
    if (url.protocol === 'file:') throw new Error('this run has no file source. Pass `files` and `base` to runSuites.');
    const response = await originalFetch(url);
    // Servers of applications answer with their page where they know no such file.
    const isPage = response.headers.get('content-type')?.startsWith('text/html') === true;
    if (response.status === 404 || (response.ok && isPage)) throw Object.assign(new Error(`${url.href} not found`), { code: 'ENOENT' });
    if (!response.ok) throw new Error(`${url.href} returned HTTP status ${response.status}`);
    const reader = response.body?.getReader();
    for (;;) {
      const { done, value } = (await reader?.read()) ?? { done: true };
      if (done || value === undefined) return;
      yield value;
    }
  },
};
