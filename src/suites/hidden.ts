import type { Entry } from '../cases/row.ts';
import { Nodes, resolve } from '../fixtures/graph.ts';
import type { WrittenPattern } from './config.ts';
import { needsOf } from './expand.ts';
import type { Plan } from './planned.ts';

/** What stands in place of a value that is to be in no record. */
export const hidden = '‹hidden›';

/** Says of a column's or a setting's name whether its values are hidden. */
export type Hides = (name: string) => boolean;

/** A text is a whole name; a regular expression looks anywhere in it. */
export function hidesBy(patterns: readonly WrittenPattern[] | undefined): Hides | undefined {
  if (!patterns?.length) return undefined;
  const tests = patterns.map((pattern): Hides => {
    if (typeof pattern === 'string') return (name) => name === pattern;
    const expression = new RegExp(pattern.source, pattern.flags.replace(/[gy]/g, ''));
    return (name) => expression.test(name);
  });
  return (name) => tests.some((test) => test(name));
}

/** An entry as it may be told: names, titles and records are made of this one. Rows that differ in hidden values only are twins. */
export function withoutHidden(entry: Entry, hides: Hides): Entry {
  const { row } = entry;
  return Object.keys(row).some(hides)
    ? { ...entry, row: Object.fromEntries(Object.entries(row).map(([column, value]) => [column, hides(column) ? hidden : value])) }
    : entry;
}

interface WithSettings {
  readonly fixtures: readonly { readonly settings: readonly { readonly name: string; readonly value: string }[] }[];
}

/** Fixtures as they may be told. */
export function withoutHiddenSettings<T extends WithSettings>(told: T, hides: Hides | undefined): T {
  if (!hides) return told;
  const shown = (one: T['fixtures'][number]['settings'][number]) => (hides(one.name) ? { ...one, value: hidden } : one);
  return { ...told, fixtures: told.fixtures.map((fixture) => ({ ...fixture, settings: fixture.settings.map(shown) })) };
}

/** Shorter ones would be found everywhere. */
const shortest = 4;

/** Texts that are hidden wherever they turn up: in messages, output, attachments. */
export class Secrets {
  readonly #hides: Hides;
  readonly #texts = new Set<string>();

  constructor(hides: Hides) {
    this.#hides = hides;
  }

  /** Learns the values of a row, or of settings, at any depth. */
  learn(values: object): void {
    for (const [name, value] of Object.entries(values)) {
      if (this.#hides(name)) this.#learnAll(value);
      else if (typeof value === 'object' && value !== null && Object.getPrototypeOf(value) === Object.prototype) this.learn(value);
    }
  }

  #learnAll(value: unknown): void {
    if (typeof value === 'object' && value !== null) for (const inner of Object.values(value)) this.#learnAll(inner);
    else if (String(value).length >= shortest) this.#texts.add(String(value));
  }

  /** The settings that the tests of a plan run with, but for what their rows bind. */
  learnSettings(plan: Plan): void {
    const nodes = new Nodes();
    for (const test of plan.tests) for (const { node } of resolve(needsOf(test), test.inherited.levels, nodes).sights) this.learn(node.settings);
  }

  /** The same, with what is hidden taken out of every text. */
  clean<T>(value: T): T {
    if (this.#texts.size === 0) return value;
    if (typeof value === 'string') {
      let text: string = value;
      for (const secret of this.#texts) text = text.replaceAll(secret, hidden);
      return text as T;
    }
    if (Array.isArray(value)) return value.map((item) => this.clean(item)) as T;
    if (typeof value !== 'object' || value === null || value instanceof Uint8Array) return value;
    return Object.fromEntries(Object.entries(value).map(([key, item]) => [key, this.clean(item)])) as T;
  }
}
