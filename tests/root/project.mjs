// Small projects with known results: created in a temporary folder, run by the built command, and examined from outside. Nothing of the
// library is used here, not even its reader of records, since its statements about itself are being tested.
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The package under test: this one, or a copy with a fault. */
export const packageFolder = resolve(process.env.RED_LATTICE_PACKAGE ?? fileURLToPath(new URL('../..', import.meta.url)));
const command = join(packageFolder, 'dist', 'command.js');
const longest = 60_000;

const importLine = "import { cell, dataFile, fixture, folder, namedRows, lazy, range, rows, suite, table, test, values } from 'red-lattice';\n";

/** Makes a project from file names and texts, or links. Test files get their import line. */
export function makeProject(files) {
  const folder = mkdtempSync(join(tmpdir(), 'red-lattice-root-'));
  mkdirSync(join(folder, 'node_modules'));
  symlinkSync(packageFolder, join(folder, 'node_modules', 'red-lattice'));
  for (const [name, text] of Object.entries({ 'package.json': '{"name":"little","type":"module"}\n', ...files })) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    if (typeof text === 'object') symlinkSync(text.link, join(folder, name));
    else writeFileSync(join(folder, name), /\.lattice\.\w+$/.test(name) ? importLine + text : text);
  }
  return folder;
}

/** Runs the command in a folder. Returns its exit status, its output, and the recorded results. */
export function runCommand(folder, args = ['run'], { signals = [], node = [], closesAt } = {}) {
  return new Promise((done) => {
    const { NODE_EXTRA_CA_CERTS, FORCE_COLOR, CI, GITHUB_ACTIONS, TF_BUILD, ...env } = process.env;
    const child = spawn(process.execPath, [...node, command, ...args], {
      cwd: folder,
      env: { ...env, NO_COLOR: '1' },
      stdio: ['ignore', 'pipe', 'pipe'],
      detached: true,
    });
    let [out, error] = ['', ''];
    child.stdout.on('data', (text) => {
      out += text;
    });
    // Each signal is sent when the project has written its word into order.txt: to the command, or to its process group.
    const waiting = [...signals];
    const look = setInterval(() => {
      const progress = written(folder);
      if (closesAt !== undefined && progress.includes(closesAt)) child.stdout.destroy();
      if (waiting.length === 0 || !progress.includes(waiting[0][1])) return;
      const [signal, , whom] = waiting.shift();
      if (whom === 'group') process.kill(-child.pid, signal);
      else child.kill(signal);
    }, 10);
    child.stderr.on('data', (text) => (error += text));
    const timer = setTimeout(() => child.kill('SIGKILL'), longest);
    child.on('close', (status, signal) => {
      clearTimeout(timer);
      clearInterval(look);
      const lines = out.trimEnd().split('\n');
      done({ status, signal, out, error, last: lines.at(-1), ...readRecord(folder) });
    });
  });
}

/** The content of order.txt, which the project's tests write. */
export function written(folder) {
  const path = join(folder, 'order.txt');
  return existsSync(path) ? readFileSync(path, 'utf8') : '';
}

export const removeProject = (folder) => rmSync(folder, { recursive: true, force: true });

/** Every result in the latest record, as [title, status, cause], read line by line. */
function readRecord(folder) {
  const runs = join(folder, '.red-lattice', 'runs');
  const newest = existsSync(runs) ? readdirSync(runs).sort().at(-1) : undefined;
  if (newest === undefined) return { results: undefined, info: undefined };
  const record = join(runs, newest);
  const results = [];
  const headers = new Map();
  for (const name of readdirSync(record).filter((file) => file.endsWith('.journal'))) {
    let pass;
    for (const line of readFileSync(join(record, name), 'utf8').split('\n')) {
      if (line.startsWith('+') || line.startsWith('=')) {
        // A line that continues the previous one is of the same test, and no duplicate.
        const numbers = line.startsWith('=') ? [pass[0], undefined, 1] : line.slice(1).split('\t')[0].split(' ').map(Number);
        pass = numbers;
        results.push({ ...nameOf(numbers, line.split('\t')[1], headers), status: 'passed', cause: undefined });
      } else if (line.startsWith('{')) {
        const entry = JSON.parse(line);
        if (entry.type === 'test') headers.set(entry.header.test, entry.header);
        if (entry.type === 'ended') results.push(entry.result);
        else if (entry.type === 'teardown-failed') results.push({ id: entry.id, title: entry.title, ...entry.result });
      }
    }
  }
  return { results, info: JSON.parse(readFileSync(join(record, 'run.json'), 'utf8')) };
}

/** A compact line names a case by its test's header and the values of its row; the small projects' rows are plain words and numbers. */
function nameOf([test, , twin], row, headers) {
  const { id, path, columns, source } = headers.get(test);
  const values = JSON.parse(row);
  const parts = columns.map((column, i) => `${column}=${values[i]}`);
  const title = path.join(' › ').replace(/\{(\w+)\}/g, (_, column) => values[columns.indexOf(column)]);
  const own = source === undefined ? '' : `/${parts.join(',').replace(/[^\p{L}\p{N}._=,+-]+/gu, '-')}`;
  return { id: `${id}${own}${twin > 1 ? `~${twin}` : ''}`, title: path.join('').includes('{') || !parts.length ? title : `${title} › ${parts.join(', ')}` };
}
