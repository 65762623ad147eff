// Writes docs/reference.md: what each public name is, from its declaration and docstring. usage: reference.mjs [--check]
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { API } from 'typescript/unstable/sync';
import { root } from './steps.mjs';
import { temporaryFolder } from './temporary.mjs';

const target = join(root, 'docs', 'reference.md');
const types = join(root, 'dist', 'types');

/** The reference's parts, in the order in which people meet them: names by the file that declares them. */
const parts = [
  { title: 'Tests and suites', from: /^suites\/(?:suite|hand)/ },
  { title: 'Cases', from: /^cases\/(?:table|source|marks|random)/ },
  { title: 'Data files', from: /^cases\/(?:data|row)/ },
  { title: 'Matrices', from: /^cases\/matrix/ },
  { title: 'Fixtures', from: /^fixtures/ },
  { title: 'Checks', from: /^checks/ },
  { title: 'Configuration', from: /^suites\/config/ },
  { title: 'Running in a page or a program', from: /^(?:running|suites\/planned)/ },
  { title: 'Where it fails', from: /^results/ },
  { title: 'Problems and places', from: /^problems/ },
  { title: 'In Node', from: /^node\// },
];

const variableStatement = (node) => (node.parent?.parent && node.parent.declarations ? node.parent.parent : node);

/** What stands between the signs of a docstring. */
const proseOf = (comment) =>
  comment
    .trim()
    .replace(/^\/\*\*|\*\/$/g, '')
    .split('\n')
    .map((line) => line.replace(/^\s*\* ?/, '').trimEnd())
    .join('\n')
    .trim();

/** A name with all that its declarations say. */
function entryOf(name, nodes, module) {
  const statements = nodes.map(variableStatement);
  const texts = statements.map((statement) => {
    const file = statement.getSourceFile();
    const docs = (statement.jsDoc ?? []).map((doc) => file.text.slice(doc.pos, doc.end));
    const code = file.text
      .slice(statement.getStart(), statement.end)
      .replace(/^export /, '')
      .replace(/^declare /, '')
      .replace(/^ {4}(?:#private|private .*);\n/gm, '')
      .replace(/^(?: {4})+/gm, (blanks) => ' '.repeat(blanks.length / 2));
    return { prose: docs.map(proseOf).at(-1), code };
  });
  const path = relative(types, statements[0].getSourceFile().fileName).replaceAll('\\', '/');
  return { name, module, path, prose: texts.map(({ prose }) => prose).filter(Boolean), code: texts.map(({ code }) => code).join('\n') };
}

/** All that a module exports. */
function entriesOf(project, path, module) {
  const { checker } = project;
  const exported = checker.getExportsOfModule(checker.getSymbolAtLocation(project.program.getSourceFile(path)));
  return exported.map((symbol) => {
    const nodes = (checker.getAliasedSymbol(symbol) ?? symbol).declarations.map((handle) => handle.resolve(project));
    return entryOf(symbol.name, nodes, module);
  });
}

function readEntries() {
  const folder = mkdtempSync(join(temporaryFolder(), 'red-lattice-reference-'));
  const api = new API();
  try {
    const modules = { 'red-lattice': join(types, 'index.d.ts'), 'red-lattice/node': join(types, 'node', 'index.d.ts') };
    const config = join(folder, 'tsconfig.json');
    const compilerOptions = { noLib: true, types: [], module: 'nodenext', allowImportingTsExtensions: true, noEmit: true };
    writeFileSync(config, JSON.stringify({ compilerOptions, files: Object.values(modules) }));
    const project = api.updateSnapshot({ openProject: config }).getProjects()[0];
    return Object.entries(modules).flatMap(([module, path]) => entriesOf(project, path, module));
  } finally {
    api.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

const isType = ({ code }) => /^(?:interface|type) /.test(code);

/** Each part with its entries: what can be called first, then the types. */
function chosen(entries) {
  const left = entries.filter((entry) => !parts.some(({ from }) => from.test(entry.path)));
  if (left.length) throw new Error(`in no part of the reference: ${left.map(({ name, path }) => `${name} (${path})`).join(', ')}`);
  return parts.map(({ title, from }) => {
    const own = entries.filter(({ path }) => from.test(path));
    return { title, entries: [...own.filter((entry) => !isType(entry)), ...own.filter(isType)] };
  });
}

/** Headings as pages link to them: in lower case, numbered where they are there already. */
function anchorsOf(headings) {
  const seen = new Map();
  return headings.map((heading) => {
    const plain = heading.toLowerCase().replaceAll(' ', '-');
    const before = seen.get(plain) ?? 0;
    seen.set(plain, before + 1);
    return before === 0 ? plain : `${plain}-${before}`;
  });
}

function told(chosen) {
  const headings = ['Reference', ...chosen.flatMap(({ title, entries }) => [title, ...entries.map(({ name }) => name)])];
  const anchors = anchorsOf(headings);
  // Names come after the titles of their parts: the last of several is the name.
  const anchorOf = new Map(headings.map((heading, at) => [heading, anchors[at]]));
  const link = (name) => `[${name}](#${anchorOf.get(name)})`;
  const types = chosen.flatMap(({ entries }) => entries.filter(isType).map(({ name }) => name));
  const entry = ({ name, prose, code }) => {
    const words = new Set(code.match(/\b[A-Za-z]\w*\b/g));
    const others = types.filter((other) => other !== name && words.has(other)).sort();
    const see = others.length ? `\n\nSee ${others.map(link).join(', ')}.` : '';
    return `### ${name}\n\n${prose.join('\n\n')}\n\n\`\`\`ts\n${code}\n\`\`\`${see}\n`;
  };
  const contents = chosen.map(
    ({ title, entries }) => `- [${title}](#${anchors[headings.indexOf(title)]}): ${entries.map(({ name }) => link(name)).join(', ')}`,
  );
  return `# Reference

Every public name with its declaration, made from the docstrings by \`node scripts/reference.mjs\`. What stands under "In Node" is
imported from \`red-lattice/node\`, all else from \`red-lattice\`. Times are in milliseconds throughout.

${contents.join('\n')}

${chosen.map(({ title, entries }) => `## ${title}\n\n${entries.map(entry).join('\n')}`).join('\n')}`;
}

const entries = readEntries();
const lacking = entries.filter(({ prose }) => prose.length === 0).map(({ name, path }) => `${name} (${path})`);
if (lacking.length) throw new Error(`without a docstring: ${lacking.join(', ')}`);
const text = told(chosen(entries));

if (!process.argv.includes('--check')) writeFileSync(target, text);
else if (readFileSync(target, 'utf8') !== text) {
  console.error('docs/reference.md is not what the docstrings say: write it anew with node scripts/reference.mjs');
  process.exit(1);
}
