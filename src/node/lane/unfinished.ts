import { nextTurn, now, startTimer } from '../../running/originals.ts';

/** What ends by itself and then calls somebody back, by the names that `process.getActiveResourcesInfo` has for it. */
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

const lookEvery = 10;

/** How much is under way in the process that may still fail. */
export const unfinished = (): number => process.getActiveResourcesInfo().filter((name) => ending.has(name)).length;

/** Waits until no more is under way than there was, so that what fails late is seen; at most so many milliseconds. */
export async function waitForUnfinished(before: number, longest: number): Promise<void> {
  const end = now() + longest;
  while (unfinished() > before && now() < end) {
    await new Promise<void>((resolve) => startTimer(resolve, lookEvery));
    // The timer itself is gone a turn later.
    await nextTurn();
  }
}
