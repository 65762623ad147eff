export { processChannel } from './lane/channel.ts';
export { laneMain } from './lane/main.ts';
