import { useState } from 'react';
import { Icon } from './icons.tsx';

/** A command, with a button to copy it. */
export function Command({ text }: { readonly text: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <p className="command">
      <code>
        {text.split(' ').flatMap((word, i) => [
          i > 0 && ' ',
          // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
          <span key={i}>{word}</span>,
        ])}
      </code>
      <button
        type="button"
        onClick={() => {
          void copy(text).then(() => {
            setCopied(true);
            setTimeout(() => setCopied(false), 1500);
          });
        }}
      >
        <Icon name={copied ? 'done' : 'copy'} size={14} />
        {copied ? 'copied' : 'copy'}
      </button>
      <span className="unseen" role="status">
        {copied ? 'copied' : ''}
      </span>
    </p>
  );
}

/** Pages from a file may have no access to the clipboard. A selected field is the alternative. */
export async function copy(text: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(text);
  } catch {
    const field = document.createElement('textarea');
    field.value = text;
    document.body.append(field);
    field.select();
    document.execCommand('copy');
    field.remove();
  }
}
