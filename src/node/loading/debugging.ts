import { createRequire } from 'node:module';

/** Options of the runtime with which a debugger can attach, immediately or through code that they load. */
const mayOpen = /--inspect|--require|--import|(?:^|\s)-r\b/;

/** Whether a debugger can attach to this process. Finding out takes milliseconds, and is only done if an option suggests it. */
export function isInspected(): boolean {
  if (!mayOpen.test([...process.execArgv, process.env['NODE_OPTIONS'] ?? ''].join(' '))) return false;
  const { url } = createRequire(import.meta.url)('node:inspector') as typeof import('node:inspector');
  return url() !== undefined;
}

/** Adds the source map and the source to compiled code, so that a debugger shows the source and stops at its lines. */
export function withSource(code: string, map: string, url: string, source: string): string {
  const whole = { ...(JSON.parse(map) as object), sources: [url], sourcesContent: [source] };
  return `${code}\n//# sourceMappingURL=data:application/json;base64,${Buffer.from(JSON.stringify(whole)).toString('base64')}\n`;
}
