import { laneMain } from './lane/main.ts';

laneMain();
