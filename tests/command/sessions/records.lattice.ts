import { testSessions } from './session.ts';

export const records = testSessions(new URL('./records.yaml', import.meta.url));
