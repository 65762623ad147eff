import { testSessions } from './session.ts';

export const settings = testSessions(new URL('./settings.yaml', import.meta.url));
