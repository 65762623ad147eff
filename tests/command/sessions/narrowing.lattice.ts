import { testSessions } from './session.ts';

export const narrowing = testSessions(new URL('./narrowing.yaml', import.meta.url));
