import { request } from 'node:http';

export interface Answer {
  readonly status: number | undefined;
  readonly text: string;
  readonly headers: NodeJS.Dict<string | string[]>;
}

/** Sends a request with any headers. `isEndless`: the reply has no end, and its beginning suffices. */
export function ask(
  address: URL,
  path: string,
  {
    method = 'GET',
    headers = {},
    body = '',
    isEndless = false,
  }: { method?: string; headers?: Record<string, string>; body?: string; isEndless?: boolean } = {},
): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const asked = request({ host: address.hostname, port: address.port, path, method, headers }, (response) => {
      const { statusCode: status, headers } = response;
      let text = '';
      response.on('data', (more) => {
        text += more;
        if (!isEndless) return;
        resolve({ status, text, headers });
        asked.destroy();
      });
      response.on('end', () => resolve({ status, text, headers }));
      response.on('error', reject);
    });
    asked.on('error', reject);
    asked.end(body);
  });
}
