import { grouped } from './grouped.ts';
import { nearest } from './nearest.ts';
import { assertNever } from './never.ts';
import type { Problem } from './problem.ts';

const list = (names: readonly string[], most = 8): string =>
  names.length === 0
    ? 'none'
    : names
        .slice(0, most)
        .map((name) => `\`${name}\``)
        .join(', ') + (names.length > most ? ` and ${names.length - most} more` : '');

/** "did you mean …" where one known name is close, else all that there are. */
const mend = (name: string, known: readonly string[]): string => {
  const near = nearest(name, known);
  return near === undefined ? `there are: ${list(known)}` : `did you mean \`${near}\`?`;
};

const count = (n: number, one: string): string => `${n} ${one}${n === 1 ? '' : 's'}`;
const clip = (text: string): string => JSON.stringify(text.length > 60 ? `${text.slice(0, 57)}…` : text);
const article = (noun: string): string => (/^[aeiou]/i.test(noun) ? `an ${noun}` : `a ${noun}`);

/** What is wrong and the likely mend, in one or two sentences, without the place. */
export function wording(problem: Problem): string {
  switch (problem.code) {
    case 'unknown-placeholder':
      return `title "${problem.title}": no column \`${problem.placeholder}\`; ${mend(problem.placeholder, problem.known)}`;
    case 'unclosed-placeholder':
      return `title "${problem.title}": a brace is never closed; write {{ for a brace that stands for itself`;
    case 'repeated-column':
      return `column \`${problem.column}\` stands twice in ${problem.source}; each column needs a name of its own`;
    case 'shared-column':
      return `${problem.operation}: ${list(problem.columns)} would come from both sides; rename it on one of them`;
    case 'unequal-lengths':
      return `zip: one side ends after ${count(problem.left, 'row')}, the other after ${problem.right}; both sides need as many rows`;
    case 'row-length':
      return `row ${problem.row} has ${count(problem.cells, 'value')} for ${count(problem.columns.length, 'column')} (${problem.columns.join(', ')})`;
    case 'not-a-row':
      return `row ${problem.row} is ${problem.got}, not an object with columns`;
    case 'empty-source':
      return `"${problem.title}" has no cases: ${problem.source} is empty; where that may be, say mayBeEmpty: true`;
    case 'axis-without-values':
      return `axis "${problem.axis}" has no values`;
    case 'repeated-value':
      return `axis "${problem.axis}" has ${problem.value} twice`;
    case 'nothing-possible':
      return 'the exceptions leave no combination that can occur';
    case 'too-much-to-cover':
      return `cover: ${problem.strength} of ${problem.axes} axes owes ${grouped(problem.owed)} combinations, and ${grouped(problem.limit)} can be kept; cover fewer at a time, and name the axes that matter under stronger`;
    case 'impossible-value':
      return `axis "${problem.axis}": ${problem.value} can never occur under the exceptions, so no row has it`;
    case 'undecided':
      return `whether ${count(problem.count, 'combination')} can occur is undecided: the exceptions are too entangled to tell in time; covered where a row was found`;
    case 'impossible-row':
      return `plus: ${problem.row} can never occur under the exceptions`;
    case 'endless-source':
      return `a source of cases gave more than ${grouped(problem.limit)} rows; it may never end`;
    case 'source-threw':
      return `${problem.source} threw while its rows were read: ${problem.reason}`;
    case 'several-files':
      return `there are several ${problem.path}: ${list(problem.files)}; name the one that is meant`;
    case 'missing-file':
      return `no data file ${problem.path}, from the folder of the test file${problem.near.length ? `; there is ${list(problem.near)}` : ''}`;
    case 'unreadable-file':
      return `${problem.path} cannot be read: ${problem.reason}`;
    case 'other-encoding':
      return `from here on it is no text in ${problem.encoding.toUpperCase()}; save it as UTF-8`;
    case 'zero-byte':
      return 'a zero byte stands here: it is not a text; UTF-16 needs a byte order mark';
    case 'no-file-reader':
      return `${problem.path} cannot be read here: whoever runs these suites gave no reader of files`;
    case 'no-listing':
      return `${problem.path} cannot be looked for here: folders are not listed; name the file with its ending, as in dataFile('data/dues.csv')`;
    case 'unknown-format':
      return `${problem.path}: its ending tells no known format; there are: ${problem.known.join(', ')}`;
    case 'missing-column':
      return `no column \`${problem.column}\`; ${mend(problem.column, problem.known)}`;
    case 'empty-record':
      return 'every cell of this record is empty; leave the line out';
    case 'separator-line':
      return `\`${problem.text}\` is no heading, but a note for spreadsheets; leave the line out${problem.delimiter === undefined ? '' : `, and say delimiter: ${JSON.stringify(problem.delimiter)} in the options of dataFile`}`;
    case 'other-line-break':
      return 'its lines end in carriage returns alone; save it with line feeds';
    case 'other-delimiter':
      return `the headings are parted by ${JSON.stringify(problem.delimiter)}; say delimiter: ${JSON.stringify(problem.delimiter)} in the options of dataFile`;
    case 'bad-cell':
      return `${problem.column}: ${clip(problem.text)} is not ${article(problem.wanted)}${problem.hint ? `; ${problem.hint}` : ''}`;
    case 'empty-cell':
      return `${problem.column}: empty, and ${article(problem.wanted)} is wanted; where it may be empty, say optional() or or(…)`;
    case 'cell-error':
      return `${problem.column}: ${problem.shown === undefined ? 'a formula stands here without its result; open the workbook and save it' : `the workbook shows ${problem.shown} here; mend what the cell is worked out from`}`;
    case 'unread-column': {
      const near = nearest(problem.column, problem.known);
      return `column \`${problem.column}\` is in the file and nothing reads it${near === undefined ? '' : `; is it meant to be \`${near}\`?`}`;
    }
    case 'schema-issue':
      return `${problem.column === undefined ? '' : `${problem.column}: `}${problem.message}`;
    case 'broken-document':
      return problem.reason;
    case 'repeated-key':
      return `key \`${problem.key}\` stands twice in one object; only one of its values can be meant`;
    case 'no-list':
      return `${problem.path === undefined ? 'the document' : `what stands at ${problem.path}`} is ${problem.got}, not a list of rows${problem.path === undefined ? "; where the list stands further in, say at: 'its.path'" : ''}`;
    case 'not-an-object':
      return `${problem.got} is no row: an object with columns is wanted`;
    case 'record-length':
      return `${count(problem.cells, 'cell')} under ${count(problem.columns, 'heading')}${problem.cells > problem.columns ? '; is a comma not quoted?' : ''}`;
    case 'unclosed-quote':
      return 'a quote opens here and never closes';
    case 'long-record':
      return `a record of more than ${grouped(problem.limit)} characters begins here; is a quote not closed?`;
    case 'bad-heading':
      return `\`${problem.heading}\` cannot be a column: it is no property of its own in this language; rename it, or read it as another with under('${problem.heading}')`;
    case 'no-header':
      return 'the file has no line of headings';
    case 'nothing-exported':
      return problem.exports.length
        ? `${problem.file} exports no suite and no test (only ${list(problem.exports)}); only what is exported runs`
        : `${problem.file} exports nothing; write \`export const …\` before the suites and tests that shall run`;
    case 'other-copy':
      return `${problem.owner}: "${problem.title}" was made by another copy of red-lattice than the one that runs it; a project needs a single one, and \`npm ls red-lattice\` tells which there are`;
    case 'exported-twice':
      return `"${problem.title}" is exported as ${list(problem.names)} and runs once`;
    case 'same-title':
      return `two tests are called "${problem.title}" in one place; the second is known as ${problem.id}`;
    case 'load-failed':
      return `${problem.file} does not load: ${problem.reason}`;
    case 'no-such-name':
      return `${problem.owner}: no ${problem.kind} \`${problem.name}\`; ${mend(problem.name, problem.known)}`;
    case 'not-a':
      return `${problem.owner}: ${problem.got} is not ${article(problem.wanted)}`;
    case 'scope-too-short':
      return `fixture "${problem.fixture}" lives for a ${problem.scope} and cannot need "${problem.needs}", which lives for a ${problem.needsScope} only`;
    case 'not-cloneable':
      return `fixture "${problem.fixture}" lives for the run, in a process of its own, and its value cannot be copied from there: ${problem.reason}; give out plain data, or give it a handover`;
    case 'fixture-cycle':
      return `fixtures need each other in a circle: ${problem.path.join(' → ')}; to wrap a fixture, use the \`original\` that swap hands in`;
    case 'bind-threw':
      return `bind threw for this row: ${problem.reason}`;
    case 'bad-date':
      return `${problem.owner}: until: ${clip(problem.text)} is not a day like 2031-04-30`;
    case 'after-the-end':
      return `a ${problem.what} came after its case had ended (${problem.id}): ${problem.detail}; is an await missing?`;
    case 'idle-binding':
      return `${problem.owner} binds fixture "${problem.fixture}" without effect: ${problem.hidden ? 'bindings further in hide it from every case that ran' : 'no case within that ran needs it'}`;
    case 'fresh-setting':
      return `${problem.owner} sets fixture "${problem.fixture}" to a function or an object of its own ${problem.rows} times: it was set up for each, though it lives for a ${problem.scope}; bind what is made once, or plain data`;
    case 'stray-error':
      return `${problem.what === 'throw' ? 'an error was thrown' : 'a promise was rejected'} outside of any case: ${problem.detail}`;
    case 'no-such-target':
      return `${problem.target}: ${problem.reason}`;
    case 'other-plan':
      return 'the tests are not those of the run that is to be resumed: something that their files import has changed; run anew, without --resume';
    case 'lane-lost':
      return problem.reason;
    default:
      return assertNever(problem);
  }
}
