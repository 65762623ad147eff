/** The input of the workbench: axes with their values, exclusions and strengths. All of it is text as typed. */
export interface Model {
  readonly axes: readonly { readonly name: string; readonly values: string }[];
  /** One exclusion per line: `hull=tri, loa=6`. Several values of an axis are separated by bars: `season=winter|spring`. */
  readonly exclude: string;
  readonly strength: number;
  /** One group per line: `loa, hull, berth: 3`. */
  readonly mixedStrength: string;
  /** The numbers of the rows that failed, from 1. If any row is marked, all others passed. */
  readonly failed: readonly number[];
}

export const demo: Model = {
  axes: [
    { name: 'loa', values: '6, 9, 12, 18' },
    { name: 'hull', values: 'mono, cat, tri' },
    { name: 'draught', values: '0.8, 1.4, 2.1' },
    { name: 'berth', values: 'north pier, south quay, visitor' },
    { name: 'water', values: 'low, high' },
    { name: 'season', values: 'summer, winter' },
  ],
  exclude: 'hull=tri, loa=6\ndraught=2.1, loa=6|9',
  strength: 2,
  mixedStrength: '',
  failed: [],
};

export type Value = string | number | boolean;

/** A model in the form of the library's arguments. */
export interface Read {
  readonly axes: Readonly<Record<string, readonly Value[]>>;
  readonly exclude: readonly Readonly<Record<string, readonly Value[]>>[];
  readonly mixedStrength: readonly { readonly axes: readonly string[]; readonly strength: number }[];
  /** Messages about input that cannot be parsed. */
  readonly problems: readonly string[];
}

const words = (text: string, separator: string | RegExp = ','): string[] =>
  text
    .split(separator)
    .map((word) => word.trim())
    .filter(Boolean);

const readValue = (text: string): Value => (text === 'true' ? true : text === 'false' ? false : /^-?\d+(?:\.\d+)?$/.test(text) ? Number(text) : text);

export function readModel({ axes: given, exclude: exclusions, mixedStrength: groups }: Model): Read {
  const problems: string[] = [];
  const axes = Object.fromEntries(given.filter(({ name }) => name.trim()).map(({ name, values }) => [name.trim(), words(values).map(readValue)]));
  const known = (name: string, line: string): boolean => {
    const isKnown = Object.hasOwn(axes, name);
    if (!isKnown) problems.push(`“${line}”: unknown axis “${name}”`);
    return isKnown;
  };
  const exclude = words(exclusions, '\n').map((line) =>
    Object.fromEntries(
      words(line).flatMap((part) => {
        const [name = '', values] = part.split('=').map((one) => one.trim());
        if (values === undefined) {
          problems.push(`“${line}”: write each part like hull=tri`);
          return [];
        }
        if (!known(name, line)) return [];
        const wanted = words(values, '|').map(readValue);
        for (const value of wanted) if (!axes[name]?.includes(value)) problems.push(`“${line}”: axis “${name}” has no value “${value}”`);
        return [[name, wanted]];
      }),
    ),
  );
  const mixedStrength = words(groups, '\n').flatMap((line) => {
    const [names = '', given] = line.split(':');
    const listed = words(names).filter((name) => known(name, line));
    const strength = Number(given);
    if (!Number.isInteger(strength) || strength < 2 || strength > listed.length) problems.push(`“${line}”: write it like loa, hull, berth: 3`);
    return [{ axes: listed, strength }];
  });
  return { axes, exclude: exclude.filter((one) => Object.keys(one).length > 0), mixedStrength, problems };
}

/** Writes the model into the address, so that it can be stored and sent. */
export const toHash = (model: Model): string => `#${encodeURIComponent(JSON.stringify(model))}`;

export function fromHash(hash: string): Model {
  try {
    const given = JSON.parse(decodeURIComponent(hash.slice(1))) as Partial<Model>;
    return { ...demo, ...given };
  } catch {
    return demo;
  }
}

/** Writes the model as code for a test file. */
export function asCode({ axes, exclude, mixedStrength }: Read, strength: number): string {
  const list = (values: readonly Value[]): string => `[${values.map((value) => JSON.stringify(value)).join(', ')}]`;
  const key = (name: string): string => (/^[A-Za-z_$][\w$]*$/.test(name) ? name : JSON.stringify(name));
  const named = (row: Readonly<Record<string, readonly Value[]>>): string =>
    `{ ${Object.entries(row)
      .map(([name, values]) => `${key(name)}: ${values.length === 1 ? JSON.stringify(values[0]) : list(values)}`)
      .join(', ')} }`;
  const options = [
    `    strength: ${strength},`,
    ...(exclude.length > 0 ? [`    exclude: [${exclude.map(named).join(', ')}],`] : []),
    ...(mixedStrength.length > 0
      ? [`    mixedStrength: [${mixedStrength.map((group) => `{ axes: ${JSON.stringify(group.axes)}, strength: ${group.strength} }`).join(', ')}],`]
      : []),
  ];
  return `matrix(\n  {\n${Object.entries(axes)
    .map(([name, values]) => `    ${key(name)}: ${list(values)},`)
    .join('\n')}\n  },\n  {\n${options.join('\n')}\n  },\n)`;
}
