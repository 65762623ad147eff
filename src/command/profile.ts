import { findNearestName } from '../problems/nearest-name.ts';
import type { Config } from '../suites/config.ts';

type Profile = NonNullable<Config['profiles']>[string];

/** The argument of `--profile`, if it is given. */
export function findProfile(args: readonly string[]): string | undefined {
  const at = args.findIndex((argument) => argument === '--profile' || argument.startsWith('--profile='));
  return at < 0 ? undefined : args[at] === '--profile' ? (args[at + 1] ?? '') : args[at]?.slice('--profile='.length);
}

/** Converts a profile's options to arguments. An option with the value false is left out. */
export const buildArguments = (profile: Profile): string[] =>
  Object.entries(profile).flatMap(([name, value]) => {
    const option = `--${name.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)}`;
    if (value === true) return [option];
    if (value === false) return [];
    return (Array.isArray(value) ? value : [value]).flatMap((one) => [option, String(one)]);
  });

/** The message for an unknown profile. */
export function formatUnknownProfile(name: string, profiles: Config['profiles']): string {
  const known = Object.keys(profiles ?? {});
  const near = findNearestName(name, known);
  if (known.length === 0) return `unknown profile "${name}": red-lattice.config.ts has no profiles`;
  return `unknown profile "${name}"; ${near ? `did you mean "${near}"?` : `known: ${known.join(', ')}`}`;
}
