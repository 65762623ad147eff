import type { PageHead } from '../results/page-entries.ts';

/** Where the record goes in the page as it was built. */
const placeholder = '<!--record-->';

/** The results page with a record in it, piece by piece: one file that needs nothing else. */
export function* reportAsPage(template: string, head: PageHead, lines: Iterable<string>): Generator<string> {
  const [before, after] = template.split(placeholder);
  if (after === undefined) throw new Error('the page template has no placeholder for the record');
  yield `${before}<script type="application/x-ndjson" id="record">\n`;
  yield `${inScript(JSON.stringify(head))}\n`;
  for (const line of lines) yield `${inScript(line)}\n`;
  yield `</script>${after}`;
}

/** JSON that cannot end a script element: `<` occurs in its strings only, where it is escaped. */
const inScript = (json: string): string => json.replaceAll('<', '\\u003c');
