import { testSessions } from './session.ts';

export const reports = testSessions(new URL('./reports.yaml', import.meta.url));
