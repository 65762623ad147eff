import { enableCompileCache } from './compile-cache.ts';

// Before anything else is loaded.
enableCompileCache();
const { laneMain, processChannel } = await import('./lane-entry.ts');
laneMain(processChannel);
