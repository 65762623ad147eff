import { escapeControls } from '../../../src/formats/style.ts';
import { describeSuspects } from '../../../src/formats/suspects.ts';
import type { Suspects } from '../../../src/results/cause/suspects.ts';

/** The combinations that could have caused the failures of a test. */
export function SuspectsLine({ suspects }: { readonly suspects: Suspects }) {
  const { label, combinations, more, cleared } = describeSuspects(suspects);
  return (
    <p className="causes">
      {label}{' '}
      {combinations.map((text, i) => (
        <span key={text}>
          {i > 0 && ' · '}
          <strong>{escapeControls(text)}</strong>
        </span>
      ))}
      {more > 0 && ` · and ${more} more`} <span className="quiet">({cleared})</span>
    </p>
  );
}
