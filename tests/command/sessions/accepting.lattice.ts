import { testSessions } from './session.ts';

export const accepting = testSessions(new URL('./accepting.yaml', import.meta.url));
