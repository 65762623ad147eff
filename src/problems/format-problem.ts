import { formatThousands } from './format-thousands.ts';
import { findNearestName } from './nearest-name.ts';
import { assertNever } from './never.ts';
import type { Problem } from './problem.ts';

const MAX_LISTED_NAMES = 12;
/** The maximum length of a value in a message, in characters. */
export const MAX_SHOWN_TEXT = 60;

const list = (names: readonly string[]): string =>
  names
    .slice(0, MAX_LISTED_NAMES)
    .map((name) => `\`${name}\``)
    .join(', ') + (names.length > MAX_LISTED_NAMES ? ` and ${names.length - MAX_LISTED_NAMES} more` : '');

/** "did you mean …?" if one known name is close, else all known names. */
export function suggest(name: string, known: readonly string[]): string {
  const near = findNearestName(name, known);
  if (near !== undefined) return `did you mean \`${near}\`?`;
  return known.length === 0 ? 'there are none' : `known: ${list(known)}`;
}

const count = (n: number, one: string): string => `${n} ${one}${n === 1 ? '' : 's'}`;
/** Quotes a text, shortened if it is long. */
export const shorten = (text: string): string => JSON.stringify(text.length > MAX_SHOWN_TEXT ? `${text.slice(0, MAX_SHOWN_TEXT - 3)}…` : text);
const addArticle = (noun: string): string => {
  if (noun === 'text' || noun === 'false' || /^(?:one of |\W|\d)/.test(noun)) return noun;
  return /^[aeiou]/i.test(noun) ? `an ${noun}` : `a ${noun}`;
};
const unknown = (kind: string, { name, owner, known }: { readonly name: string; readonly owner: string; readonly known: readonly string[] }): string =>
  `${owner}: unknown ${kind} \`${name}\`; ${suggest(name, known)}`;

/**
 * Format a problem as text: what is wrong and how to fix it, without the location.
 *
 * ```ts
 * formatProblem({ code: 'empty-axis', axis: 'hull' }) // 'axis "hull" has no values'
 * ```
 */
export function formatProblem(problem: Problem): string {
  switch (problem.code) {
    case 'unknown-placeholder':
      return `title "${problem.title}": unknown column \`${problem.placeholder}\`; ${suggest(problem.placeholder, problem.known)}`;
    case 'unclosed-placeholder':
      return `title "${problem.title}": unclosed brace. Write {{ for a literal brace.`;
    case 'duplicate-column':
      return `duplicate column \`${problem.column}\` in ${problem.source}. Rename one of them.`;
    case 'overlapping-columns':
      return `${problem.operation}: both sides have ${list(problem.columns)}. Rename the column on one side.`;
    case 'zip-length-mismatch':
      return `zip: one side has ${count(problem.left, 'row')}, the other ${problem.right}. Both sides need the same number of rows.`;
    case 'row-length-mismatch':
      return `row ${problem.row} has ${count(problem.cells, 'value')} for ${count(problem.columns.length, 'column')} (${problem.columns.join(', ')})`;
    case 'invalid-row':
      return `row ${problem.row} is ${problem.got}; expected ${addArticle(problem.expected)}`;
    case 'empty-source':
      return `"${problem.title}" has no cases: ${problem.source} is empty. Set \`allowEmpty: true\` if this is intended.`;
    case 'empty-suite':
      return `suite "${problem.title}" has no ${problem.lacks}, so nothing in it would run; if that is intended, set \`allowEmpty: true\``;
    case 'unreachable-test':
      return `${problem.kind} "${problem.title}" is neither exported nor part of what is exported: it never runs`;
    case 'empty-axis':
      return `axis "${problem.axis}" has no values`;
    case 'duplicate-axis-value':
      return `axis "${problem.axis}" has ${problem.value} twice`;
    case 'no-feasible-combination':
      return '`exclude` leaves no possible combination';
    case 'coverage-limit-exceeded':
      return `strength ${problem.strength} for ${problem.axes} axes requires ${formatThousands(problem.required)} combinations; the limit is ${formatThousands(problem.limit)}. Lower \`strength\`, and list the axes that matter most in \`mixedStrength\`.`;
    case 'locate-limit-exceeded':
      return `\`locate: ${problem.locate}\` has ${formatThousands(problem.required)} ${problem.locate === 1 ? 'combinations' : 'combinations and pairs of combinations'} to distinguish; the limit is ${formatThousands(problem.limit)}. ${problem.locate === 1 ? 'Lower `strength`' : 'Use `locate: 1`'}, or find causes with \`red-lattice narrow\`.`;
    case 'infeasible-value':
      return `axis "${problem.axis}": \`exclude\` rules out every combination with ${problem.value}, so no row has it`;
    case 'feasibility-unknown':
      return `could not determine in time whether ${problem.count === 1 ? '1 combination is' : `${problem.count} combinations are`} possible under \`exclude\`; covered if a row was found`;
    case 'undeclared-axis':
      return `an exclusion reads axis \`${problem.axis}\` without declaring it: write never([${[...problem.reads, problem.axis].map((name) => `'${name}'`).join(', ')}], …)`;
    case 'infeasible-row':
      return `include: \`exclude\` rules out ${problem.row}`;
    case 'too-many-rows':
      return `a source of cases has more than ${formatThousands(problem.limit)} rows; it may be endless`;
    case 'source-threw':
      return `reading rows from ${problem.source} threw: ${problem.reason}`;
    case 'row-threw':
      return `a function of the case source threw for this row of ${problem.source}: ${problem.reason}`;
    case 'unreadable-value':
      return `reading column \`${problem.column}\` threw: ${problem.reason}`;
    case 'ambiguous-file':
      return `several files match ${problem.path}: ${list(problem.files)}. Name one of them.`;
    case 'missing-file':
      return `no data file ${problem.path}${problem.near.length ? `; did you mean ${list(problem.near)}?` : '.'} Paths are relative to the folder of the test file.`;
    case 'unreadable-file':
      return `cannot read ${problem.path}: ${problem.reason}`;
    case 'invalid-encoding':
      return `invalid ${problem.encoding.toUpperCase()} from here on. Save the file as UTF-8.`;
    case 'unexpected-nul':
      return 'unexpected NUL byte: this is not a text file, or it is UTF-16 without a byte order mark';
    case 'no-file-source':
      return `cannot read ${problem.path}: this run has no file source. Pass \`files\` and \`base\` to runSuites.`;
    case 'no-file-list':
      return `cannot look for ${problem.path}: this file source does not list folders. Name the file with its extension, as in dataFile('data/dues.csv').`;
    case 'unknown-format':
      return `${problem.path}: unknown file extension; known: ${problem.known.join(', ')}`;
    case 'missing-column':
      return `missing column \`${problem.column}\`; ${suggest(problem.column, problem.known)}`;
    case 'empty-record':
      return 'every cell of this record is empty. Remove the line.';
    case 'separator-line':
      return `\`${problem.text}\` is an instruction for spreadsheet programs, not a header. Remove the line${problem.delimiter === undefined ? '.' : ` and set \`delimiter: ${JSON.stringify(problem.delimiter)}\` in the options of dataFile.`}`;
    case 'unsupported-line-ending':
      return 'lines end in carriage returns only. Save the file with line feeds.';
    case 'wrong-delimiter':
      return `the header is separated by ${JSON.stringify(problem.delimiter)}. Set \`delimiter: ${JSON.stringify(problem.delimiter)}\` in the options of dataFile.`;
    case 'invalid-cell':
      return `${problem.column}: ${shorten(problem.text)} is not ${addArticle(problem.expected)}${problem.hint ? `; ${problem.hint}` : ''}`;
    case 'empty-cell':
      return `empty cell in column \`${problem.column}\`; expected ${addArticle(problem.expected)}. Add \`.optional()\` or \`.default(…)\` to the column to allow it.`;
    case 'cell-error':
      return `${problem.column}: the cell shows ${problem.shown}. Fix its formula in the workbook.`;
    case 'missing-formula-result':
      return `${problem.column}: the formula has no stored result. Open the workbook and save it.`;
    case 'unused-columns': {
      const { columns, known } = problem;
      const near = columns.map((column) => [column, findNearestName(column, known)]).find(([, name]) => name !== undefined);
      const hint = near === undefined ? '. List columns that are not needed in `ignore`.' : `; did you mean \`${near[1]}\` by \`${near[0]}\`?`;
      return `nothing reads ${columns.length === 1 ? 'column' : 'columns'} ${list(columns)}${hint}`;
    }
    case 'schema-issue':
      return `${problem.column === undefined ? '' : `${problem.column}: `}${problem.message}`;
    case 'parse-error':
      return problem.reason;
    case 'duplicate-key':
      return `duplicate key \`${problem.key}\` in one object. Remove one of them.`;
    case 'expected-array':
      return `${problem.path === undefined ? 'the document' : `the value at ${problem.path}`} is ${problem.got}; expected a list of rows${problem.path === undefined ? ". If the list is further inside, set `at: 'its.path'`." : ''}`;
    case 'unknown-path':
      return `at: '${problem.path}': unknown key \`${problem.key}\`; ${suggest(problem.key, problem.known)}`;
    case 'expected-object':
      return `this row is ${problem.got}; expected an object with columns`;
    case 'record-length-mismatch':
      return `${count(problem.cells, 'cell')} for ${count(problem.columns, 'column')}${problem.cells > problem.columns ? '; is a comma not quoted?' : ''}`;
    case 'unclosed-quote':
      return 'unclosed quote';
    case 'record-too-long':
      return `this record has more than ${formatThousands(problem.limit)} characters; is a quote not closed?`;
    case 'invalid-heading':
      return `\`${problem.heading}\` cannot be a column name in JavaScript. Rename it, or read it under another name with \`.heading('${problem.heading}')\`.`;
    case 'no-header':
      return 'the file has no header line';
    case 'nothing-exported':
      return problem.exports.length
        ? `${problem.file} exports no suite and no test (only ${list(problem.exports)}). Only exported suites and tests run.`
        : `${problem.file} exports nothing. Write \`export const …\` before the suites and tests that should run.`;
    case 'duplicate-package':
      return `${problem.owner}: another copy of red-lattice created "${problem.title}". A project needs exactly one copy; \`npm ls red-lattice\` lists them.`;
    case 'exported-twice':
      return `"${problem.title}" is exported as ${list(problem.names)}; it runs once`;
    case 'duplicate-title':
      return `two tests have the title "${problem.title}"; the id of the second is ${problem.id}`;
    case 'load-failed':
      return `cannot load ${problem.file}: ${problem.reason}`;
    case 'unknown-option':
      return unknown('option', problem);
    case 'unknown-setting':
      return unknown('setting', problem);
    case 'unknown-tag':
      return unknown('tag', problem);
    case 'unknown-axis':
      return unknown('axis', problem);
    case 'unknown-value':
      return unknown('value', problem);
    case 'unknown-title':
      return unknown('title', problem);
    case 'unknown-preset':
      return unknown('preset', problem);
    case 'unknown-scope':
      return unknown('scope', problem);
    case 'unknown-sheet':
      return unknown('sheet', problem);
    case 'invalid-option':
      return `${problem.owner}: \`${problem.name}\` is ${problem.got}; expected ${addArticle(problem.expected)}`;
    case 'invalid-type':
      return `${problem.owner}: ${problem.got} is not ${addArticle(problem.expected)}`;
    case 'scope-too-short':
      return `fixture "${problem.fixture}" has scope "${problem.scope}" and cannot need "${problem.needs}", whose scope "${problem.needsScope}" is shorter`;
    case 'not-serializable':
      return `the value of fixture "${problem.fixture}" cannot be sent to the lanes: ${problem.reason.replace(/\.$/, '')}. A fixture of scope "run" lives in a process of its own. Return plain data, or add \`transfer\`.`;
    case 'fixture-cycle':
      return `fixtures need each other in a cycle: ${problem.path.join(' → ')}. To wrap a fixture, use the \`original\` argument of replaceWith.`;
    case 'children-threw':
      return `the function for the children of suite "${problem.title}" threw: ${problem.reason}`;
    case 'overrides-threw':
      return `the \`overrides\` function threw for this row: ${problem.reason}`;
    case 'invalid-date':
      return `${problem.owner}: until: ${shorten(problem.text)} is not a date like 2031-04-30`;
    case 'late-check':
      return formatLate('a check ran', problem);
    case 'late-log':
      return formatLate('a line was logged', problem);
    case 'late-step':
      return formatLate('a step started', problem);
    case 'late-error':
      return formatLate('an error was thrown', problem);
    case 'late-rejection':
      return formatLate('a promise was rejected', problem);
    case 'late-exit':
      return `a case ended the process after it had ended (${problem.id}): ${problem.detail}; the other cases ran in a new process`;
    case 'late-cleanup':
      return formatLate('a cleanup was deferred', problem);
    case 'unused-override':
      return `${problem.owner} overrides fixture "${problem.fixture}" without effect: ${problem.hidden ? 'inner overrides hide it in every case that ran' : 'no case in it that ran needs the fixture'}`;
    case 'disposed-twice':
      return `fixture "${problem.fixture}" defers a cleanup that seems to close its value, and the value is disposed too, since it has Symbol.dispose or Symbol.asyncDispose. Remove the cleanup, or set \`teardown: false\`.`;
    case 'unstable-setting':
      return `${problem.owner} sets fixture "${problem.fixture}" to a new function or object ${problem.rows} times, so it was set up for each, although its scope is "${problem.scope}". Create the value once, or use plain data.`;
    case 'unhandled-error':
      return `an error was thrown outside any case: ${problem.detail}`;
    case 'unhandled-rejection':
      return `a promise was rejected outside any case: ${problem.detail}`;
    case 'unknown-target':
      return `${problem.target}: ${problem.reason}`;
    case 'plan-timeout':
      return `planning did not finish within ${problem.limit} ms; a source of cases may be endless`;
    case 'plan-crash':
      return `during planning, ${problem.reason}`;
    case 'plan-changed':
      return 'two lanes loaded the same files and planned different tests. What a file exports must not change from one load to the next.';
    case 'plan-mismatch':
      return 'the tests differ from those of the run to resume: something that their files import has changed. Start a new run without --resume.';
    case 'repeated-crashes':
      return `lanes keep crashing before a case has a result: ${problem.reason}`;
    case 'teardown-failed':
      return `${problem.title} failed: ${problem.reason}`;
    case 'teardown-lost':
      return `fixture "${problem.fixture}" of ${problem.owner} was not torn down: its process had ended`;
    case 'run-fixtures-lost':
      return `the process of the run's fixtures ${problem.reason}; their teardowns did not run`;
    case 'malformed-journal':
      return `the journal of lane ${problem.lane} has a malformed line: ${problem.reason}. Did a test replace a built-in object?`;
    case 'malformed-row':
      return `the record is damaged: the row of a passed case cannot be read: ${problem.reason}. Remove the record, or copy it again.`;
    case 'unit-lost':
      return 'a lane ended before all of its cases had results. Run the others with --resume.';
    case 'pool-client-missing':
      return 'a pool needs the client of its server. Install it: npm install --save-dev @redis/client';
    case 'pool-unreachable':
      return `the pool at ${problem.server} cannot be used: ${problem.reason}${findServerHint(problem.reason)}`;
    case 'pool-lost':
      return `the pool at ${problem.server} is lost: ${problem.reason}. Continue this run with --resume, with or without a pool.`;
    case 'pool-machine-refused':
      return `machine ${problem.machine} does not take part: ${problem.reasons.join(', ')}. All machines need the same checkout, library and runtime.`;
    case 'pool-lane-lost':
      return `lane ${problem.lane} on ${problem.machine} was given up: ${problem.reason}; its cases run elsewhere${problem.begun.length === 0 ? '' : `, again: ${problem.begun.join(', ')}`}`;
    case 'pool-late-results':
      return `late results from ${problem.machine}, of a lane that was given up, were dropped`;
    case 'lane-unresponsive':
      return `lane ${problem.lane} stopped responding${problem.last === undefined ? '' : ` after ${problem.last}`} and was ended; the other cases ran in a new process. Did a test replace a built-in function?`;
    case 'internal-error':
      return `internal error in Red Lattice: ${problem.reason}`;
    case 'more-problems':
      return `${formatThousands(problem.count)} more problems of the kind ${problem.kind}`;
    case 'results-lost':
      return `${formatThousands(problem.cases)} of the cases that ran ${problem.cases === 1 ? 'has' : 'have'} no result. Did a test replace a built-in function?`;
    default:
      return assertNever(problem);
  }
}

const formatLate = (activity: string, { id, detail }: { readonly id: string; readonly detail: string }): string =>
  `${activity} after its case had ended (${id}): ${detail}; is an await missing?`;

/** What to do about an error of a pool's server. */
const SERVER_HINTS: readonly (readonly [RegExp, string])[] = [
  [/ECONNREFUSED/, 'Is the server running, and is the port right?'],
  [/ENOTFOUND|EAI_AGAIN/, 'Is the host right?'],
  [/timeout|ETIMEDOUT/i, 'Does a firewall block the port? With rediss://, the server must use TLS.'],
  [/^NOAUTH|^WRONGPASS/, 'Give user and password in the URL, or in RED_LATTICE_POOL_USER and RED_LATTICE_POOL_PASSWORD.'],
  [/^NOPERM/, 'The user needs streams, hashes, strings, and all keys that begin with the prefix of the pool.'],
  [/certificate/, 'Set NODE_EXTRA_CA_CERTS to the certificate file of your authority.'],
  [/ECONNRESET|socket closed/i, 'If the server uses TLS, write rediss:// instead of redis://.'],
];

function findServerHint(reason: string): string {
  const hint = SERVER_HINTS.find(([pattern]) => pattern.test(reason))?.[1];
  return hint === undefined ? '' : `${/[.!?]$/.test(reason) ? '' : '.'} ${hint}`;
}
