import { type KeyboardEvent, useMemo, useState } from 'react';
import { escapeControls } from '../../../src/formats/style.ts';
import { collectVocabulary, completeFilter } from '../record/completions.ts';
import type { Store } from '../record/store.ts';
import { Icon } from './icons.tsx';

interface FieldProps {
  readonly text: string;
  readonly store: Store;
  readonly onChange: (text: string) => void;
}

/** The filter field. It completes statuses, tags, columns and their values while the user types. */
export function FilterField({ text, store, onChange }: FieldProps) {
  const [isOpen, setOpen] = useState(false);
  const [at, setAt] = useState(-1);
  // Read when the field gets the focus, so that the first letter does not have to wait.
  const [isFocused, setFocused] = useState(false);
  const vocabulary = useMemo(() => (isFocused ? collectVocabulary(store) : undefined), [isFocused, store, store.live ? 0 : store.version]);
  const completions = isOpen && vocabulary ? completeFilter(text, vocabulary) : [];
  const take = (word: string): void => {
    const isComplete = !word.endsWith('=');
    onChange(`${text.replace(/\S+$/, '')}${word}${isComplete ? ' ' : ''}`);
    setAt(-1);
    setOpen(!isComplete);
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    if (completions.length === 0) return;
    const chosen = completions[Math.max(0, at)];
    if (event.key === 'ArrowDown') setAt((at + 1) % completions.length);
    else if (event.key === 'ArrowUp') setAt((at <= 0 ? completions.length : at) - 1);
    else if (chosen && ((event.key === 'Enter' && at >= 0) || (event.key === 'Tab' && !event.shiftKey))) take(chosen.word);
    else if (event.key === 'Escape') setOpen(false);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div className="filter-field">
      <Icon name="search" />
      <input
        id="filter"
        type="search"
        role="combobox"
        autoComplete="off"
        spellCheck={false}
        value={text}
        onChange={(event) => {
          onChange(event.target.value);
          setAt(-1);
          setOpen(true);
        }}
        onKeyDown={onKeyDown}
        onFocus={() => setFocused(true)}
        onBlur={() => setOpen(false)}
        placeholder="text, tag:money, season=winter, loa>=12"
        aria-label="filter cases: text, status:failed, tag:money, season=winter, loa>=12"
        aria-expanded={completions.length > 0}
        aria-controls="completions"
        aria-autocomplete="list"
        aria-activedescendant={at >= 0 ? `completion-${at}` : undefined}
      />
      <div id="completions" role="listbox" aria-label="completions" hidden={completions.length === 0}>
        {completions.map(({ word, note }, i) => (
          // biome-ignore lint/a11y/useFocusableInteractive: the field keeps the focus
          // biome-ignore lint/a11y/useKeyWithClickEvents: the field has the keys
          <div
            key={word}
            id={`completion-${i}`}
            role="option"
            aria-selected={i === at}
            // Keeps the focus in the field.
            onMouseDown={(event) => event.preventDefault()}
            onClick={() => take(word)}
          >
            <code>{escapeControls(word)}</code>
            <span className="quiet">{note}</span>
          </div>
        ))}
      </div>
    </div>
  );
}
