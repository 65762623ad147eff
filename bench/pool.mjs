// Compares runs in lanes of joined machines with runs in local lanes. All processes run on this machine, so that only the transport of
// messages differs. Needs redis-server. usage: pool.mjs [rounds]
import { spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { alternate, environment, report, wall } from './measure.mjs';

const rounds = Number(process.argv[2] ?? 3);
const root = fileURLToPath(new URL('..', import.meta.url));
const command = join(root, 'dist', 'command.js');
const folder = mkdtempSync(join(tmpdir(), 'red-lattice-bench-'));
const children = [];

const file = (name, count, body) =>
  `import { range, test } from 'red-lattice';\nexport const ${name} = test('${name}', { cases: range('n', 1, ${count}) }, ${body});\n`;
const waits = (milliseconds) => `async ({ check }) => { await new Promise((done) => setTimeout(done, ${milliseconds})); check.holds(true); }`;
const checkout = (name) => {
  const at = join(folder, name);
  mkdirSync(join(at, 'node_modules'), { recursive: true });
  symlinkSync(root, join(at, 'node_modules', 'red-lattice'));
  writeFileSync(join(at, 'package.json'), '{"type":"module"}');
  writeFileSync(join(at, 'short.lattice.mjs'), file('short', 1000, waits(10)));
  writeFileSync(join(at, 'million.lattice.mjs'), file('million', 1_000_000, '({ check }) => check.holds(true)'));
  writeFileSync(join(at, 'long.lattice.mjs'), file('long', 3200, waits(100)));
  return at;
};
const freePort = () =>
  new Promise((resolve) => {
    const probe = createServer().listen(0, () => {
      const { port } = probe.address();
      probe.close(() => resolve(port));
    });
  });
const start = (program, args, cwd, says) =>
  new Promise((resolve) => {
    const child = spawn(program, args, { cwd, env: environment, stdio: ['ignore', 'pipe', 'ignore'] });
    children.push(child);
    child.stdout.on('data', (text) => String(text).includes(says) && resolve(child));
  });

const office = checkout('office');
const port = await freePort();
await start('redis-server', ['--port', String(port), '--save', '', '--dir', folder], folder, 'Ready to accept connections');
const url = (prefix) => `redis://127.0.0.1:${port}?prefix=${prefix}`;
const joinPool = (name, lanes, prefix) =>
  start(process.execPath, [command, 'join', url(prefix), '--lanes', String(lanes), '--name', name], checkout(name), 'waiting for runs');
const run = (what, ...args) =>
  wall([command, 'run', `${what}.lattice.mjs`, '--show', 'summary', '--record', join(folder, `record-${Math.random()}`), ...args], { cwd: office });

await joinPool('east', 1, 'two');
await joinPool('west', 1, 'two');
const pooled = ['--pool', url('two'), '--lanes', '0'];
const short = alternate({ local: () => run('short', '--lanes', '2'), pool: () => run('short', ...pooled) }, rounds);
const million = alternate({ local: () => run('million', '--lanes', '2'), pool: () => run('million', ...pooled) }, rounds);

for (let machine = 0; machine < 4; machine++) await joinPool(`quay-${machine}`, 8, 'many');
const long = alternate({ pool: () => run('long', '--pool', url('many'), '--lanes', '0') }, rounds);

report([
  { what: '1,000 cases of 10 ms in two joined lanes', measured: short.pool, floor: short.local, limit: 1.15 },
  { what: 'a million rows in two joined lanes', measured: million.pool, floor: million.local, limit: 1.6 },
]);
const ideal = (3200 * 100) / 32;
const part = ideal / long.pool;
console.log(
  `3,200 cases of 100 ms in 32 joined lanes: ${(long.pool / 1000).toFixed(1)} s, ${part.toFixed(2)} of the ideal (wanted: 0.85), on ${availableParallelism()} processors`,
);
if (part < 0.85) process.exitCode = 1;
for (const child of children) child.kill('SIGKILL');
rmSync(folder, { recursive: true, force: true });
