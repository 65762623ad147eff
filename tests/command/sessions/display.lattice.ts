import { testSessions } from './session.ts';

export const display = testSessions(new URL('./display.yaml', import.meta.url));
