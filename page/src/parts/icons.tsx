import type { Status } from '../../../src/running/result.ts';

/**
 * Statuses as cells of the lattice, on 14 by 14 units: a pass is small and light, a failure is a filled cell with a cut corner, a case that
 * did not run is an outline. CSS draws passes and failures.
 */
export const statusShapes: Readonly<Partial<Record<Status, React.ReactNode>>> = {
  errored: (
    <>
      <path d="M2 1h6.5L13 5.5V12a1 1 0 0 1-1 1H2a1 1 0 0 1-1-1V2a1 1 0 0 1 1-1Z" fill="none" stroke="currentColor" strokeWidth="1.5" />
      <path d="M6.2 3.8h1.6v4H6.2zM6.2 9h1.6v1.6H6.2z" fill="currentColor" />
    </>
  ),
  'known-failure': (
    <path d="M1.5 5.5c2-2.2 3.5-2.2 5.5 0s3.5 2.2 5.5 0M1.5 10c2-2.2 3.5-2.2 5.5 0s3.5 2.2 5.5 0" fill="none" stroke="currentColor" strokeWidth="1.7" />
  ),
  skipped: <path d="M2.5 2.5h9v9h-9zM2.5 11.5l9-9" fill="none" stroke="currentColor" strokeWidth="1.2" />,
  'not-requested': <rect x="3.5" y="3.5" width="7" height="7" rx="1.5" fill="none" stroke="currentColor" strokeWidth="1.2" />,
  'not-run': <rect x="2.5" y="2.5" width="9" height="9" fill="none" stroke="currentColor" strokeWidth="1.2" strokeDasharray="2 1.6" />,
};

/** The other icons, as outlines on 16 by 16 units. */
const outlines = {
  search: 'M7 2.5a4.5 4.5 0 1 0 0 9 4.5 4.5 0 0 0 0-9ZM10.3 10.3l3.2 3.2',
  close: 'M4 4l8 8M12 4l-8 8',
  copy: 'M5.5 5.5h7v8h-7zM10.5 5.5v-3h-7v8h2',
  done: 'M3 8.5l3.2 3L13 4.5',
  download: 'M8 2.5v7.5M4.8 7l3.2 3.2L11.2 7M3 13.3h10',
  run: 'M5 3.2l7.5 4.8L5 12.8Z',
  stop: 'M4.5 4.5h7v7h-7z',
  keys: 'M1.8 4.5h12.4v7.5H1.8zM4.5 7h.01M7 7h.01M9.5 7h.01M11.8 7h.01M5 9.6h6',
  light: 'M8 5.2a2.8 2.8 0 1 0 0 5.6 2.8 2.8 0 0 0 0-5.6ZM8 1.5v1.4M8 13.1v1.4M1.5 8h1.4M13.1 8h1.4M3.4 3.4l1 1M11.6 11.6l1 1M12.6 3.4l-1 1M4.4 11.6l-1 1',
  dark: 'M13.3 9.6A5.6 5.6 0 0 1 6.4 2.7a5.6 5.6 0 1 0 6.9 6.9Z',
  system: 'M2 3h12v8H2zM5.5 13.5h5M8 11v2.5',
  open: 'M4 6l4 4 4-4',
  closed: 'M6 4l4 4-4 4',
  in: 'M8 3.5v9M3.5 8h9',
  out: 'M3.5 8h9',
  earlier: 'M10 4L6 8l4 4',
  later: 'M6 4l4 4-4 4',
} as const;

export type IconName = keyof typeof outlines;

/** An icon next to a text, or in a button that has a label. */
export const Icon = ({ name, size = 16 }: { readonly name: IconName; readonly size?: number }) => (
  <svg
    viewBox="0 0 16 16"
    width={size}
    height={size}
    aria-hidden="true"
    fill="none"
    stroke="currentColor"
    strokeWidth="1.4"
    strokeLinecap="round"
    strokeLinejoin="round"
  >
    <path d={outlines[name]} />
  </svg>
);
