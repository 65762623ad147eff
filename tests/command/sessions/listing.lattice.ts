import { testSessions } from './session.ts';

export const listing = testSessions(new URL('./listing.yaml', import.meta.url));
