import { type CapturedStack, findLocation } from '../problems/source-location.ts';
import type { ExpansionContext, ExpansionHost } from './row.ts';

interface AmbientHost extends Pick<ExpansionHost, 'files' | 'kept'> {
  readonly base?: URL | undefined;
  /** Receives each file that a content is compared with, and the test file that compares it. */
  readonly onExpectedFile?: ((url: URL, reader: URL) => void) | undefined;
}

let ambient: AmbientHost | undefined;
let isOfLane = false;

/**
 * Sets the host for sources that bodies and fixtures read: that of the newest run in this process. In a lane, it stays that of the lane,
 * even while a test runs suites.
 */
export function setAmbientHost(host: AmbientHost, ofLane = false): void {
  if (isOfLane && !ofLane) return;
  ambient = host;
  isOfLane = ofLane;
}

/** The current receiver of the files that contents are compared with. */
export const getExpectedFileListener = (): AmbientHost['onExpectedFile'] => ambient?.onExpectedFile;

export const outsideTests = (): ExpansionContext => ({ ...ambient, base: undefined, slug: '' });

/** Relative paths of a source without a test start at the file that created it, or at the folder of the page. */
export function withOwnBase(expansion: ExpansionContext, origin: CapturedStack): ExpansionContext {
  if (expansion.base) return expansion;
  const file = findLocation(origin)?.file;
  return { ...expansion, base: file?.startsWith('file:') ? new URL(file) : ambient?.base };
}
