import { createColorPalette, parseAnsiSequences } from 'ansi-sequence-parser';
import { escapeControls } from '../../../src/formats/style.ts';

/** Named colours follow the theme. Others are unchanged. */
const palette = createColorPalette();

type Token = ReturnType<typeof parseAnsiSequences>[number];

/** The output of a case, with its colours. Other control sequences are shown as symbols. */
export const CapturedOutput = ({ text }: { readonly text: string }) => (
  // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, also by keyboard
  <pre className="output" tabIndex={0}>
    {text.includes('\u001b[')
      ? parseAnsiSequences(text).map((token, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the parts of a text do not move
          <span key={i} className={classesOf(token)} style={styleOf(token)}>
            {escapeControls(token.value)}
          </span>
        ))
      : escapeControls(text)}
  </pre>
);

function classesOf({ foreground, decorations }: Token): string | undefined {
  const named = foreground?.type === 'named' ? [`ansi-${foreground.name.replace(/^bright(.)/, (_, first: string) => first.toLowerCase())}`] : [];
  const decorated = [...decorations].filter((name) => name !== 'hidden' && name !== 'reverse').map((name) => `ansi-${name}`);
  return [...named, ...decorated].join(' ') || undefined;
}

const styleOf = ({ foreground }: Token): React.CSSProperties | undefined =>
  foreground && foreground.type !== 'named' ? { color: palette.value(foreground) } : undefined;
