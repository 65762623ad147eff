import type { PageHead } from '../results/page-entries.ts';

/** The position of the record in the built page. */
const placeholder = '<!--record-->';

/** Inserts a record into the results page, in chunks: a single file without dependencies. */
export function* reportAsPage(template: string, head: PageHead, lines: Iterable<string>): Generator<string> {
  const [before, after] = template.split(placeholder);
  if (after === undefined) throw new Error('the page template has no placeholder for the record');
  yield `${before}<script type="application/x-ndjson" id="record">\n`;
  yield `${inScript(JSON.stringify(head))}\n`;
  for (const line of lines) yield `${inScript(line)}\n`;
  yield `</script>${after}`;
}

/** JSON that cannot end a script element: `<` occurs only in strings, where it is escaped. */
const inScript = (json: string): string => json.replaceAll('<', '\\u003c');
