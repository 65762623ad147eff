// Reports phrases that the project does not use, in everything a person reads: Markdown, messages, help, page labels, test titles.
// usage: check-language.mjs    (exit status 1 if there are any)
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { transformSync } from 'esbuild';
import { root } from './steps.mjs';

/** Patterns with suggested replacements. */
const habits = [
  [/\b(?:is|are|was|were|be|been) told\b|\btells?\b(?! time)/i, 'report, print, show'],
  [/\bunless said\b|\bwhere nothing else is said\b/i, 'Default: …'],
  [/\bset-ups?\b|\btear-downs?\b|\bclean-ups?\b/i, 'setup, teardown, cleanup'],
  [/\bmend(?:s|ed)?\b/i, 'fix'],
  [/\bparted (?:by|with)\b/i, 'separated by'],
  [/\bwhoever\b|\bsomebody else\b|\bof one's own\b/i, 'name who'],
  [/\bshall\b/i, 'should, will'],
  [/\bdear(?:er|est)\b/i, 'expensive'],
  [/\bis no (?!longer|more than|such|case|run record yet|file\b)[a-z]+\b/i, 'is not a'],
  [/\bso many\b|\bas many as\b|\ba line each\b/i, 'up to N, the same number of, one line per'],
  [/\bin place of\b/i, 'instead of'],
  [/\bstands? (?:in|at|under|beside|twice|here|there|with)\b/i, 'is, occurs, appears'],
  [/\bcomes? to\b|\bcame to\b|\bcame of\b/i, 'results in, is'],
  [/\b(?:is|are) wanted\b|\bis meant\b/i, 'expected'],
  [/\banew\b/i, 'again'],
  [/\bat hand\b|\bunder way\b|\bat work\b/i, 'available, running'],
  [/\bunsteady\b|\bsteady\b/i, 'flaky, stable'],
  [/\bmeanwhile\b/i, 'at the same time'],
  [/\bwhere that may be\b|\bsay [a-z]+:/i, 'set …'],
  [/\bmisspelt\b/i, 'misspelled'],
  [/\bspeaks? (?:of|for)\b/i, 'is about, applies to'],
];

const tracked = execFileSync('git', ['ls-files', '-co', '--exclude-standard'], { cwd: root, encoding: 'utf8' }).split('\n').filter(Boolean);
const isRead = (file) =>
  /^(?:README|CONTRIBUTING|SECURITY|CHANGELOG)\.md$|^docs\/[^/]+\.md$|^examples\/[^/]+\/README\.md$/.test(file) ||
  /^(?:src|page\/src|examples\/[^/]+\/(?:src|tests)|tests)\/.*\.tsx?$/.test(file);

/** The strings of a source file on their lines, without comments. Other text becomes blank. */
function stringsOf(file, text) {
  const { code } = transformSync(text, { loader: file.endsWith('x') ? 'tsx' : 'ts', jsx: 'preserve', target: 'esnext', legalComments: 'none' });
  // Members of classes keep their docstrings, and values in templates are code.
  const lines = code
    .replace(/\/\*[\s\S]*?\*\/|^\s*\/\/.*$/gm, '')
    .replace(/\$\{[^{}]*\}/g, '…')
    .split('\n');
  return lines.map((line) =>
    [...line.matchAll(/"(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*'|`[^`]*`?|>[^<>{}]+</g)]
      .map(([found]) => found)
      // A single word is a name, with these exceptions.
      .filter((found) => /[a-z] [a-z]/i.test(found) || /set-up|tear-down|clean-up/i.test(found))
      .join(' '),
  );
}

let found = 0;
for (const file of tracked.filter(isRead)) {
  const text = readFileSync(join(root, file), 'utf8');
  const lines = file.endsWith('.md') ? text.split('\n') : stringsOf(file, text);
  lines.forEach((line, at) => {
    for (const [pattern, instead] of habits) {
      const match = pattern.exec(line);
      if (!match) continue;
      found++;
      const place = file.endsWith('.md') ? `${file}:${at + 1}` : file;
      console.log(`${place}  "${match[0]}": ${instead}\n    ${line.trim().slice(0, 160)}`);
    }
  });
}
console.log(found === 0 ? 'no phrases to replace' : `${found} phrases to replace`);
if (found > 0) process.exitCode = 1;
