import { testSessions } from './session.ts';

export const shards = testSessions(new URL('./shards.yaml', import.meta.url));
