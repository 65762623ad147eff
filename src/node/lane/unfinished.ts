import { now, startTimer, waitForTurn } from '../../running/globals.ts';

/** Names in `process.getActiveResourcesInfo` of resources that end by themselves and then run a callback. */
const ending: ReadonlySet<string> = new Set([
  'Timeout',
  'Immediate',
  'FSReqCallback',
  'FSReqPromise',
  'GetAddrInfoReqWrap',
  'TCPConnectWrap',
  'TCPSocketWrap',
  'PipeConnectWrap',
  'ProcessWrap',
  'Worker',
  'RandomBytesRequest',
  'PBKDF2Request',
  'ScryptRequest',
]);

const LOOK_INTERVAL_MS = 10;

/** The number of open timers, requests, connections and child processes. */
export const countUnfinished = (): number => process.getActiveResourcesInfo().filter((name) => ending.has(name)).length;

/** Waits until no more is open than `before`, for up to `longest` milliseconds. */
export async function waitForUnfinished(before: number, longest: number): Promise<void> {
  const end = now() + longest;
  while (countUnfinished() > before && now() < end) {
    await new Promise<void>((resolve) => startTimer(resolve, LOOK_INTERVAL_MS));
    // The timer itself disappears one turn later.
    await waitForTurn();
  }
}
