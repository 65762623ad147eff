/** A regular expression that begins each search at the start: a global or sticky one keeps where it stopped. */
export const compilePattern = ({ source, flags }: { readonly source: string; readonly flags: string }): RegExp =>
  new RegExp(source, flags.replace(/[gy]/g, ''));
