import { isToLane, type ToCoordinator } from '../protocol.ts';
import type { LaneChannel } from './channel.ts';
import { Lane } from './lane.ts';
import { createModuleLoader, type PendingCompilations, readConfig } from './modules.ts';

/** Receives the messages of the coordinator, and passes them to the lane that runs the job. */
export function laneMain(channel: LaneChannel): void {
  const send = (message: ToCoordinator): void => channel.send(message);
  const abort = new AbortController();
  const compiling: PendingCompilations = new Map();
  let lane: Lane | undefined;
  channel.onMessage((message) => {
    if (!isToLane(message)) return;
    switch (message.type) {
      case 'job':
        lane = new Lane(message.job, abort.signal, compiling, channel);
        void lane.run();
        break;
      case 'configure':
        void readConfig(message.path, createModuleLoader(message.cache, compiling, send)).then((read) => send({ from: 'lane', type: 'configured', ...read }));
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
        send({ from: 'lane', type: 'pong' });
        break;
      default:
        void lane?.receive(message);
    }
  });
  channel.onDisconnect(async () => {
    abort.abort();
    await lane?.closeSilently();
  });
  process.on('SIGINT', () => undefined);
}
