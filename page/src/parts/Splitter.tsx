import { type KeyboardEvent, type PointerEvent, useState } from 'react';

const STORAGE_KEY = 'red-lattice pane';
/** The width of the right pane. */
const [MIN_PERCENT, MAX_PERCENT, DEFAULT_PERCENT, KEY_STEP_PERCENT] = [25, 75, 46, 2];

const clamp = (percent: number): number => Math.min(MAX_PERCENT, Math.max(MIN_PERCENT, percent));

/** A page from a file may have no storage. */
function readRemembered(): number {
  try {
    return clamp(Number(localStorage.getItem(STORAGE_KEY)) || DEFAULT_PERCENT);
  } catch {
    return DEFAULT_PERCENT;
  }
}

/** The width of the right pane in percent, and the divider that changes it. */
export function useSplitter(): { readonly percent: number; readonly splitter: React.ReactNode } {
  const [percent, setPercent] = useState(readRemembered);
  const change = (next: number): void => {
    setPercent(clamp(next));
    try {
      localStorage.setItem(STORAGE_KEY, String(clamp(next)));
    } catch {
      // The width then lasts until the page is closed.
    }
  };
  const onPointerMove = (event: PointerEvent): void => {
    const frame = event.currentTarget.parentElement?.getBoundingClientRect();
    if (frame && event.currentTarget.hasPointerCapture(event.pointerId)) change((100 * (frame.right - event.clientX)) / frame.width);
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    const by = { ArrowLeft: KEY_STEP_PERCENT, ArrowRight: -KEY_STEP_PERCENT }[event.key];
    if (by === undefined && event.key !== 'Home') return;
    change(by === undefined ? DEFAULT_PERCENT : percent + by);
    event.preventDefault();
  };
  const splitter = (
    // biome-ignore lint/a11y/useSemanticElements: a rule cannot be moved
    <div
      className="splitter"
      role="separator"
      tabIndex={0}
      aria-orientation="vertical"
      aria-label="width of the case"
      aria-valuenow={Math.round(percent)}
      aria-valuemin={MIN_PERCENT}
      aria-valuemax={MAX_PERCENT}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={onPointerMove}
      onDoubleClick={() => change(DEFAULT_PERCENT)}
      onKeyDown={onKeyDown}
    />
  );
  return { percent, splitter };
}
