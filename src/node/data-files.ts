import type { CaseSource } from '../cases/source.ts';
import { notYet } from '../problems/problem.ts';

/** One case for each file that matches, named after it; a relative pattern starts as dataFile's path does. */
export function dataFiles(_pattern: string): CaseSource<{ path: string; name: string; text(): Promise<string>; bytes(): Promise<Uint8Array> }> {
  return notYet('dataFiles');
}
