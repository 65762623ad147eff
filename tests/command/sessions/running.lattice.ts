import { testSessions } from './session.ts';

export const running = testSessions(new URL('./running.yaml', import.meta.url));
