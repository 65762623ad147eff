import { quoteByDraft } from '../src/draft.ts';
import { dues } from './dues.lattice.ts';
import { office } from './fixtures.ts';

/** The dues by the draft should be those of the current tariff. The draft still has two mistakes. */
export const draft = dues.adapt('berth dues by the draft', {
  tags: ['draft'],
  onRequest: 'the draft of the tariff is still being discussed; run it with --tag draft',
  overrides: [office.replaceWith(() => ({ quote: quoteByDraft }))],
});
