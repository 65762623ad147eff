import tokenize from 'js-tokens';
import { escapeControls } from '../../../src/formats/style.ts';
import type { Excerpt } from '../record/store.ts';

interface SourceProps {
  readonly place: { readonly line: number; readonly column: number };
  readonly excerpts: readonly Excerpt[] | undefined;
}

/** The source lines around a location. */
export function Source({ place: { line, column }, excerpts = [] }: SourceProps) {
  const excerpt = excerpts.find(({ first, lines }) => line >= first && line < first + lines.length);
  if (!excerpt) return null;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, also by keyboard
    <pre className="source" tabIndex={0}>
      {excerpt.lines.map((text, i) => {
        const number = excerpt.first + i;
        const isIt = number === line;
        return (
          <div key={number} className={isIt ? 'it' : undefined}>
            <span className="number">{number}</span>
            {isIt ? <MarkedLine text={text} column={column} /> : <Code text={text} />}
          </div>
        );
      })}
    </pre>
  );
}

/** A line in which the word at a column is marked. */
function MarkedLine({ text, column }: { readonly text: string; readonly column: number }) {
  const rest = text.slice(column - 1);
  const word = rest.match(/^[\p{L}\p{N}_$]+|^./u)?.[0] ?? '';
  return (
    <>
      <Code text={text.slice(0, column - 1)} />
      <mark>{escapeControls(word)}</mark>
      <Code text={rest.slice(word.length)} />
    </>
  );
}

const keywords = new Set(
  'as async await break case catch class const continue default delete do else export extends false finally for from function if import in instanceof interface let new null of return satisfies static super switch this throw true try type typeof undefined var void while yield'.split(
    ' ',
  ),
);

/** One line of code. Each line is parsed by itself: within a comment or text of several lines, the colours are those of code. */
const Code = ({ text }: { readonly text: string }) => (
  <>
    {[...tokenize(text)].map(({ type, value }, i) => {
      const kind = kindOf(type, value);
      const shown = escapeControls(value);
      return kind === undefined ? (
        shown
      ) : (
        // biome-ignore lint/suspicious/noArrayIndexKey: the parts of a line do not move
        <span key={i} className={kind}>
          {shown}
        </span>
      );
    })}
  </>
);

function kindOf(type: string, value: string): string | undefined {
  if (type.endsWith('Comment')) return 'comment';
  if (type === 'StringLiteral' || type.includes('Template') || type === 'RegularExpressionLiteral') return 'text';
  if (type === 'NumericLiteral') return 'amount';
  return type === 'IdentifierName' && keywords.has(value) ? 'keyword' : undefined;
}
