import { isToLane, type ToCoordinator } from '../protocol.ts';
import type { Channel } from './channel.ts';
import { Lane } from './lane.ts';
import { type Compiling, modulesIn, readConfig } from './modules.ts';

/** Receives the messages of the coordinator, and passes them to the lane that runs the job. */
export function laneMain(channel: Channel): void {
  const say = (message: ToCoordinator): void => channel.send(message);
  const abort = new AbortController();
  const compiling: Compiling = new Map();
  let lane: Lane | undefined;
  channel.onMessage((message) => {
    if (!isToLane(message)) return;
    switch (message.type) {
      case 'job':
        lane = new Lane(message.job, abort.signal, compiling, channel);
        void lane.work();
        break;
      case 'configure':
        void readConfig(message.path, modulesIn(message.cache, compiling, say)).then((read) => say({ from: 'lane', type: 'configured', ...read }));
        break;
      case 'compiled':
        compiling.get(message.key)?.(message.error);
        break;
      case 'stop':
        abort.abort();
        break;
      case 'interrupt':
        abort.abort();
        lane?.interrupt(message.urgent);
        break;
      case 'ping':
        say({ from: 'lane', type: 'pong' });
        break;
      default:
        void lane?.receive(message);
    }
  });
  channel.onDisconnect(async () => {
    abort.abort();
    await lane?.abandon();
  });
  process.on('SIGINT', () => undefined);
}
