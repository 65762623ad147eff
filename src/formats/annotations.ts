import { formatProblem } from '../problems/format-problem.ts';
import type { SourceLocation } from '../problems/source-location.ts';
import type { RunState } from '../results/run-state.ts';
import { escapeToOneLine, formatCount } from './style.ts';

/** The syntaxes of annotations that CI services read from the log. */
export type AnnotationSyntax = 'github' | 'azure';

/** Services show few annotations; the log has all failures. */
const MAX_ANNOTATIONS = 50;

interface Annotation {
  readonly title: string;
  readonly message: string;
  readonly location: SourceLocation | undefined;
}

/** Finds the syntax of the CI service whose variables are set, if any. */
export function findAnnotationSyntax(environment: Readonly<Record<string, string | undefined>>): AnnotationSyntax | undefined {
  if (environment['GITHUB_ACTIONS'] === 'true') return 'github';
  return environment['TF_BUILD']?.toLowerCase() === 'true' ? 'azure' : undefined;
}

/** Formats the failures of a run: one annotation per line of source. `nameFile` returns paths as the service uses them. */
export function formatAnnotations(state: RunState, syntax: AnnotationSyntax, nameFile: (file: string) => string): string[] {
  const groups = new Map<string, Annotation[]>();
  for (const annotation of findAnnotations(state)) {
    const { location, title } = annotation;
    const key = location ? `${location.file}:${location.line}` : title;
    const group = groups.get(key);
    if (group) group.push(annotation);
    else groups.set(key, [annotation]);
  }
  return [...groups.values()].slice(0, MAX_ANNOTATIONS).map((all) => {
    const [first] = all as [Annotation];
    const more = all.length > 1 ? `\n(and ${formatCount(all.length - 1, 'more case')} at this line)` : '';
    return formats[syntax]({ ...first, message: `${first.message}${more}` }, nameFile);
  });
}

function* findAnnotations({ failures, planProblems, loadFailures, runProblems, tornDown }: RunState): Generator<Annotation> {
  for (const problem of [...loadFailures, ...planProblems, ...runProblems])
    yield { title: problem.code, message: formatProblem(problem), location: problem.at };
  for (const { title, location, failures: all } of [
    ...failures,
    ...tornDown.map(({ title, result }) => ({ title, location: undefined, failures: result.failures })),
  ]) {
    const [first] = all;
    const values = [first?.actual !== undefined && `actual ${first.actual}`, first?.expected !== undefined && `expected ${first.expected}`].filter(
      (part) => part !== false,
    );
    yield { title, message: [first?.message ?? 'failed', ...values].join('\n'), location: first?.location ?? location };
  }
}

const encode = (text: string, characters: string, percent = '%'): string =>
  [...text]
    .map((one) => (one === '%' ? `${percent}25` : characters.includes(one) ? `%${one.charCodeAt(0).toString(16).toUpperCase().padStart(2, '0')}` : one))
    .join('');

const formats: Readonly<Record<AnnotationSyntax, (annotation: Annotation, nameFile: (file: string) => string) => string>> = {
  github: ({ title, message, location }, nameFile) => {
    const property = (name: string, value: string | number): string => `${name}=${encode(String(value), '\r\n:,')}`;
    const place =
      location && location.sheet === undefined
        ? [property('file', nameFile(location.file)), property('line', location.line), property('col', location.column)]
        : [];
    return `::error ${[...place, property('title', escapeToOneLine(title))].join(',')}::${encode(message, '\r\n')}`;
  },
  azure: ({ title, message, location }, nameFile) => {
    const property = (name: string, value: string | number): string => `${name}=${encode(String(value), '\r\n;]', '%AZP')};`;
    const place =
      location && location.sheet === undefined
        ? [property('sourcepath', nameFile(location.file)), property('linenumber', location.line), property('columnnumber', location.column)]
        : [];
    return `##vso[task.logissue type=error;${place.join('')}]${encode(`${escapeToOneLine(title)}: ${message}`, '\r\n', '%AZP')}`;
  },
};
