/** Compiles a regular expression without the flags `g` and `y`: with them, each search starts where the last one stopped. */
export const compilePattern = ({ source, flags }: { readonly source: string; readonly flags: string }): RegExp =>
  new RegExp(source, flags.replace(/[gy]/g, ''));

/** Parses `/source/flags`. Undefined for other texts. Throws a SyntaxError if the expression is invalid. */
export function parsePattern(text: string): RegExp | undefined {
  const [, source, flags = ''] = /^\/(.+)\/([a-z]*)$/s.exec(text) ?? [];
  return source === undefined ? undefined : compilePattern({ source, flags });
}
