import { createRequire } from 'node:module';

/** Options of the runtime that may open it to a debugger, at once or by code that they load. */
const mayOpen = /--inspect|--require|--import|(?:^|\s)-r\b/;

/** Whether a debugger can look into this process. To ask takes milliseconds: it is done where the runtime was started for it only. */
export function isInspected(): boolean {
  if (!mayOpen.test([...process.execArgv, process.env['NODE_OPTIONS'] ?? ''].join(' '))) return false;
  const { url } = createRequire(import.meta.url)('node:inspector') as typeof import('node:inspector');
  return url() !== undefined;
}

/** Compiled code that carries its map and its source: a debugger shows that, and stops at its lines. */
export function withSource(code: string, map: string, url: string, source: string): string {
  const whole = { ...(JSON.parse(map) as object), sources: [url], sourcesContent: [source] };
  return `${code}\n//# sourceMappingURL=data:application/json;base64,${Buffer.from(JSON.stringify(whole)).toString('base64')}\n`;
}
