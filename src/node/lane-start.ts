import { enableCompileCache } from './compile-cache.ts';

// Must precede all other imports.
enableCompileCache();
const { laneMain, processChannel } = await import('./lane-entry.ts');
laneMain(processChannel);
