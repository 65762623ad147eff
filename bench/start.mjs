// The time from starting the command to its end, for one small TypeScript file and for fifty, relative to `node -e 0`.
import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { alternate, report, wall } from './measure.mjs';

const root = fileURLToPath(new URL('..', import.meta.url));
const command = join(root, 'dist', 'command.js');
const rounds = 15;

function project(files) {
  const folder = mkdtempSync(join(tmpdir(), 'red-lattice-bench-'));
  mkdirSync(join(folder, 'node_modules'));
  symlinkSync(root, join(folder, 'node_modules', 'red-lattice'));
  writeFileSync(join(folder, 'package.json'), '{"type":"module"}');
  for (let i = 0; i < files; i++) {
    const text = `import { test } from 'red-lattice';\ninterface Stay { nights: number }\nconst stay: Stay = { nights: ${i} };\nexport const one = test('nights', ({ check }) => check.equal(stay.nights, ${i}));\n`;
    writeFileSync(join(folder, `file${i}.lattice.ts`), text);
  }
  return folder;
}

const one = project(1);
const fifty = project(50);
const cache = join(one, '.red-lattice', 'cache');
wall([command, 'run'], { cwd: one });
wall([command, 'run'], { cwd: fifty });
const medians = alternate(
  {
    floor: () => wall(['-e', '0']),
    warm: () => wall([command, 'run'], { cwd: one }),
    cold: () => {
      rmSync(cache, { recursive: true });
      return wall([command, 'run'], { cwd: one });
    },
    tsx: () => wall(['--import', join(root, 'node_modules', 'tsx', 'dist', 'loader.mjs'), join(one, 'file0.lattice.ts')], { cwd: one }),
    alone: () => wall([command, 'run', '--lanes', '0'], { cwd: one }),
    fifty: () => wall([command, 'run'], { cwd: fifty }),
  },
  rounds,
);
rmSync(one, { recursive: true });
rmSync(fifty, { recursive: true });

const { floor } = medians;
report([
  { what: 'node -e 0', measured: floor, floor },
  { what: 'one TypeScript file, caches warm', measured: medians.warm, floor, limit: 4.5 },
  { what: 'the same in one process (--lanes 0)', measured: medians.alone, floor, limit: 5.4 },
  { what: 'one TypeScript file, caches cold', measured: medians.cold, floor, limit: 5.5 },
  { what: 'the same, beside the file in node --import tsx', measured: medians.cold, floor: medians.tsx, limit: 1 },
  { what: 'fifty TypeScript files, caches warm', measured: medians.fifty, floor },
]);
