// Writes docs/reference.md from the declarations and docstrings of all public names. usage: reference.mjs [--check]
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { API } from 'typescript/unstable/sync';
import { root } from './steps.mjs';

const target = join(root, 'docs', 'reference.md');
const types = join(root, 'dist', 'types');
if (!existsSync(types)) {
  console.error('reference: dist/types is missing; run `npm run build`, which makes the declarations');
  process.exit(1);
}

/** The parts of the reference, by task: the files that declare their names. */
const parts = [
  { title: 'Write tests and suites', from: /^suites\/(?:suite|contexts)/ },
  { title: 'Create cases', from: /^cases\/(?:table|source|annotations|random)/ },
  { title: 'Read data files', from: /^(?:cases\/(?:data|row)|node\/data-files)/ },
  { title: 'Combine values in matrices', from: /^cases\/matrix/ },
  { title: 'Define fixtures', from: /^(?:fixtures|node\/fixtures)/ },
  { title: 'Check values', from: /^checks/ },
  { title: 'Configure a project', from: /^suites\/config/ },
  { title: 'Run suites from a program or a page', from: /^(?:running|suites\/planned)/ },
  { title: 'Find where a test fails', from: /^results/ },
  { title: 'Handle problems', from: /^problems/ },
];

/** Listed last: it is long and rarely needed. */
const last = 'Problem';

const variableStatement = (node) => (node.parent?.parent && node.parent.declarations ? node.parent.parent : node);

/** The text of a docstring. */
const proseOf = (comment) =>
  comment
    .trim()
    .replace(/^\/\*\*|\*\/$/g, '')
    .split('\n')
    .map((line) => line.replace(/^\s*\* ?/, '').trimEnd())
    .join('\n')
    .trim();

/** A name with its declarations and docstrings. */
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

/** All exports of a module. */
function entriesOf(project, path, module) {
  const { checker } = project;
  const exported = checker.getExportsOfModule(checker.getSymbolAtLocation(project.program.getSourceFile(path)));
  return exported.map((symbol) => {
    const nodes = (checker.getAliasedSymbol(symbol) ?? symbol).declarations.map((handle) => handle.resolve(project));
    return entryOf(symbol.name, nodes, module);
  });
}

function readEntries() {
  const folder = mkdtempSync(join(tmpdir(), 'red-lattice-reference-'));
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

/** Divides the entries of a part into functions and values, and types. */
function partition(entries) {
  const left = entries.filter((entry) => !parts.some(({ from }) => from.test(entry.path)));
  if (left.length) throw new Error(`in no part of the reference: ${left.map(({ name, path }) => `${name} (${path})`).join(', ')}`);
  return parts.map(({ title, from }) => {
    const own = entries.filter(({ path, name }) => from.test(path) && name !== last);
    return { title, functions: own.filter((entry) => !isType(entry)), types: own.filter(isType) };
  });
}

const withoutStrings = (code) => code.replace(/\/\*[\s\S]*?\*\//g, '').replace(/'[^']*'|"[^"]*"/g, '');

/** The end of the declaration that starts at an offset: a semicolon or a closing brace outside all brackets. */
function endOfDeclaration(text, start) {
  const isInterface = /^(?:export )?(?:declare )?interface/.test(text.slice(start));
  let depth = 0;
  for (let at = start; at < text.length; at++) {
    if (text[at] === '`') at = text.indexOf('`', at + 1);
    else if ('{(['.includes(text[at])) depth++;
    else if ('})]'.includes(text[at]) && --depth === 0 && isInterface) return at + 1;
    else if (text[at] === ';' && depth === 0) return at + 1;
  }
  return text.length;
}

/** Types that public declarations mention although no module exports them, and the types that these mention, from the declaration files. */
function helperTypes(entries) {
  const declared = new Map();
  for (const file of readdirSync(types, { recursive: true }).filter((name) => name.endsWith('.d.ts'))) {
    const text = readFileSync(join(types, file), 'utf8');
    for (const match of text.matchAll(/^(?:export )?(?:declare )?((?:interface|type) (\w+))/gm)) {
      const code = text.slice(match.index + match[0].length - match[1].length, endOfDeclaration(text, match.index));
      declared.set(
        match[2],
        code.replace(/^(?: {4})+/gm, (blanks) => ' '.repeat(blanks.length / 2)),
      );
    }
  }
  const known = new Set(entries.map(({ name }) => name));
  const helpers = new Map();
  const queue = entries.map(({ code }) => code);
  for (let code = queue.pop(); code !== undefined; code = queue.pop()) {
    for (const name of withoutStrings(code).match(/\b[A-Z]\w+\b/g) ?? []) {
      if (known.has(name) || helpers.has(name) || !declared.has(name)) continue;
      helpers.set(name, declared.get(name));
      queue.push(declared.get(name));
    }
  }
  return [...helpers].sort(([a], [b]) => (a < b ? -1 : 1));
}

/** The anchors of headings: in lower case, numbered from the second equal one. */
function anchorsOf(headings) {
  const seen = new Map();
  return headings.map((heading) => {
    const plain = heading
      .toLowerCase()
      .replace(/[^\w -]/g, '')
      .replaceAll(' ', '-');
    const before = seen.get(plain) ?? 0;
    seen.set(plain, before + 1);
    return before === 0 ? plain : `${plain}-${before}`;
  });
}

function render(entries) {
  const sections = partition(entries);
  const helpers = helperTypes(entries);
  const problem = entries.filter(({ name }) => name === last);
  const outline = [
    ...sections.filter(({ functions }) => functions.length).map(({ title, functions }) => ({ title, entries: functions })),
    ...sections.filter(({ types }) => types.length).map(({ title, types }) => ({ title: `Types: ${title[0].toLowerCase()}${title.slice(1)}`, entries: types })),
    { title: 'All problems', entries: problem },
  ];
  const headings = ['Reference', ...outline.flatMap(({ title, entries }) => [title, ...entries.map(({ name }) => name)]), 'Helper types'];
  const anchors = anchorsOf(headings);
  const anchorOf = new Map(headings.map((heading, at) => [heading, anchors[at]]));
  const link = (name) => `[${name}](#${anchorOf.get(name)})`;
  const types = outline.flatMap(({ entries }) => entries.filter(isType).map(({ name }) => name));
  const entry = ({ name, prose, code, module }) => {
    const words = new Set(withoutStrings(code).match(/\b[A-Za-z]\w*\b/g));
    const others = types.filter((other) => other !== name && words.has(other)).sort();
    const see = others.length ? `\n\nSee ${others.map(link).join(', ')}.` : '';
    const from = module === 'red-lattice' ? '' : `Import it from \`${module}\`.\n\n`;
    return `### ${name}\n\n${from}${prose.join('\n\n')}\n\n\`\`\`ts\n${code}\n\`\`\`${see}\n`;
  };
  const contents = outline.map(({ title, entries }) => `- ${link(title)}: ${entries.map(({ name }) => link(name)).join(', ')}`);
  return `# Reference

All public names with their declarations. \`node scripts/reference.mjs\` generates this page from the docstrings. Import names from
\`red-lattice\` unless another module is given. Durations are in milliseconds.

${contents.join('\n')}
- ${link('Helper types')}

${outline.map(({ title, entries }) => `## ${title}\n\n${entries.map(entry).join('\n')}`).join('\n')}
## Helper types

These types are not exported. The declarations above mention them.

\`\`\`ts
${helpers.map(([, code]) => code).join('\n\n')}
\`\`\`
`;
}

const entries = readEntries();
const lacking = entries.filter(({ prose }) => prose.length === 0).map(({ name, path }) => `${name} (${path})`);
if (lacking.length) throw new Error(`without a docstring: ${lacking.join(', ')}`);
const text = render(entries);

if (!process.argv.includes('--check')) writeFileSync(target, text);
else if (readFileSync(target, 'utf8') !== text) {
  console.error('docs/reference.md is out of date. Run node scripts/reference.mjs.');
  process.exit(1);
}
