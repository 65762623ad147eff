import { processChannel } from './lane/channel.ts';
import { laneMain } from './lane/main.ts';

export { laneMain };

if (process.argv[2] === 'lane') laneMain(processChannel);
