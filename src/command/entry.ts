import { startLane } from '../node/start-lane.ts';

// A lane takes as long to boot as this process took: it is on its way before anything else is loaded.
const args = process.argv.slice(2);
const [word] = args.filter((argument) => !argument.startsWith('-'));
const mayRun = !args.some((argument) => ['-h', '--help', '-v', '--version', 'help'].includes(argument)) && word !== 'help';
const lane = mayRun ? startLane() : undefined;

const { main } = await import('./main.ts');
await main(args, lane);
