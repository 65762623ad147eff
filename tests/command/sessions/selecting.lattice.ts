import { testSessions } from './session.ts';

export const selecting = testSessions(new URL('./selecting.yaml', import.meta.url));
