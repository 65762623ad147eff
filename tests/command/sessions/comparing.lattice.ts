import { testSessions } from './session.ts';

export const comparing = testSessions(new URL('./comparing.yaml', import.meta.url));
