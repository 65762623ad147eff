// Checks all types with the project's compiler. Other versions are installed for tests only.
// usage: check-types.mjs
import { join } from 'node:path';
import { must, root } from './steps.mjs';

const compiler = join(root, 'node_modules', 'typescript', 'bin', 'tsc');
for (const project of ['tsconfig.json', 'tests/tsconfig.json', 'examples/tsconfig.json', 'page/tsconfig.json'])
  must(process.execPath, [compiler, '-p', project]);
