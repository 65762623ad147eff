import type { RowEntry } from '../cases/row.ts';
import { compilePattern } from '../checks/pattern.ts';
import { OverrideImpl } from '../fixtures/fixture.ts';
import { NodeInterner, resolve } from '../fixtures/graph.ts';
import type { WrittenPattern } from './config.ts';
import { collectNeeds } from './needs.ts';
import type { Plan } from './planned.ts';

/** The replacement for a value that must not be recorded. */
export const hidden = '‹hidden›';

/** Says of a column's or a setting's name whether its values are hidden. */
export type RedactionPredicate = (name: string) => boolean;

/** A text is a whole name; a regular expression looks anywhere in it. */
export function compileRedactions(patterns: readonly WrittenPattern[] | undefined): RedactionPredicate | undefined {
  if (!patterns?.length) return undefined;
  const tests = patterns.map((pattern): RedactionPredicate => {
    if (typeof pattern === 'string') return (name) => name === pattern;
    const expression = compilePattern(pattern);
    return (name) => expression.test(name);
  });
  return (name) => tests.some((test) => test(name));
}

/** What bindings set hidden settings to: a column that holds it is hidden, too, whatever its name. */
export function boundSecrets(bindings: readonly unknown[], hides: RedactionPredicate): unknown[] {
  return bindings.flatMap((binding) =>
    binding instanceof OverrideImpl && binding.change.kind === 'set'
      ? Object.entries(binding.change.settings).flatMap(([name, value]) => (hides(name) && value !== undefined ? [value] : []))
      : [],
  );
}

const none: readonly never[] = [];

/**
 * An entry as it may be told: names, titles and records are made of this one. Rows that differ in hidden values only are twins. `secrets`
 * are hidden wherever they stand.
 */
export function redactEntry(entry: RowEntry, hides: RedactionPredicate, secrets: readonly unknown[] = none): RowEntry {
  const row = redactValue(entry.row, hides, secrets, none) as object;
  return row === entry.row ? entry : { ...entry, row };
}

/** The value itself where nothing in it is hidden. */
function redactValue(value: unknown, hides: RedactionPredicate, secrets: readonly unknown[], within: readonly unknown[]): unknown {
  if (secrets.includes(value)) return hidden;
  if (typeof value !== 'object' || value === null || within.includes(value)) return value;
  const inside = [...within, value];
  if (Array.isArray(value)) {
    const items = value.map((item) => redactValue(item, hides, secrets, inside));
    return items.some((item, i) => item !== value[i]) ? items : value;
  }
  if (Object.getPrototypeOf(value) !== Object.prototype) return value;
  let isChanged = false;
  const entries = Object.entries(value).map(([name, item]) => {
    const redacted = hides(name) ? hidden : redactValue(item, hides, secrets, inside);
    isChanged ||= redacted !== item;
    return [name, redacted] as const;
  });
  return isChanged ? Object.fromEntries(entries) : value;
}

interface WithSettings {
  readonly fixtures: readonly { readonly settings: readonly { readonly name: string; readonly value: string }[] }[];
}

/** Fixtures with hidden settings redacted. */
export function redactSettings<T extends WithSettings>(described: T, hides: RedactionPredicate | undefined): T {
  if (!hides) return described;
  const shown = (one: T['fixtures'][number]['settings'][number]) => (hides(one.name) ? { ...one, value: hidden } : one);
  return { ...described, fixtures: described.fixtures.map((fixture) => ({ ...fixture, settings: fixture.settings.map(shown) })) };
}

/** Shorter ones would be found everywhere. */
const MIN_SECRET_LENGTH = 4;

/** Texts that are hidden wherever they turn up: in messages, output, attachments. */
export class Secrets {
  readonly #hides: RedactionPredicate;
  readonly #texts = new Set<string>();

  constructor(hides: RedactionPredicate) {
    this.#hides = hides;
  }

  /** Learns the values of settings, at any depth. */
  registerSecrets(values: object): void {
    for (const [name, value] of Object.entries(values)) {
      if (this.#hides(name)) this.#learnAll(value);
      else if (typeof value === 'object' && value !== null && Object.getPrototypeOf(value) === Object.prototype) this.registerSecrets(value);
    }
  }

  /** Registers the hidden parts of a value: those that its redacted form lacks. */
  learnHidden(value: unknown, shown: unknown): void {
    if (value === shown) return;
    if (shown === hidden) this.#learnAll(value);
    else for (const name of Object.keys(value as object)) this.learnHidden((value as Record<string, unknown>)[name], (shown as Record<string, unknown>)[name]);
  }

  #learnAll(value: unknown): void {
    if (typeof value === 'object' && value !== null) for (const inner of Object.values(value)) this.#learnAll(inner);
    else if (String(value).length >= MIN_SECRET_LENGTH) this.#texts.add(String(value));
  }

  /** The settings that the tests of a plan run with, but for what their rows bind. */
  learnSettings(plan: Plan): void {
    const nodes = new NodeInterner();
    for (const test of plan.tests)
      for (const { node } of resolve(collectNeeds(test), test.inherited.levels, nodes).resolvedNodes) this.registerSecrets(node.settings);
  }

  /** The same, with what is hidden taken out of every text. */
  redactText<T>(value: T): T {
    if (this.#texts.size === 0) return value;
    if (typeof value === 'string') {
      let text: string = value;
      for (const secret of this.#texts) text = text.replaceAll(secret, hidden);
      return text as T;
    }
    if (Array.isArray(value)) return value.map((item) => this.redactText(item)) as T;
    if (typeof value !== 'object' || value === null || value instanceof Uint8Array) return value;
    return Object.fromEntries(Object.entries(value).map(([key, item]) => [key, this.redactText(item)])) as T;
  }
}
