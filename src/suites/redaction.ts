import type { RowEntry } from '../cases/row.ts';
import { compilePattern } from '../checks/pattern.ts';
import { OverrideImpl } from '../fixtures/fixture.ts';
import { NodeInterner, resolve } from '../fixtures/graph.ts';
import type { WrittenPattern } from './config.ts';
import { collectNeeds } from './needs.ts';
import type { Plan } from './planned.ts';

/** The replacement for a value that must not be recorded. */
export const hidden = '‹hidden›';

/** Whether the values of a column or a setting with this name are redacted. */
export type RedactionPredicate = (name: string) => boolean;

/** A string is a whole name; a regular expression matches anywhere in a name. */
export function compileRedactions(patterns: readonly WrittenPattern[] | undefined): RedactionPredicate | undefined {
  if (!patterns?.length) return undefined;
  const tests = patterns.map((pattern): RedactionPredicate => {
    if (typeof pattern === 'string') return (name) => name === pattern;
    const expression = compilePattern(pattern);
    return (name) => expression.test(name);
  });
  return (name) => tests.some((test) => test(name));
}

/** The values that overrides give to redacted settings. A column that contains one of them is redacted too, whatever its name. */
export function findOverrideSecrets(overrides: readonly unknown[], isRedacted: RedactionPredicate): unknown[] {
  return overrides.flatMap((override) =>
    override instanceof OverrideImpl && override.change.kind === 'set'
      ? Object.entries(override.change.settings).flatMap(([name, value]) => (isRedacted(name) && value !== undefined ? [value] : []))
      : [],
  );
}

const none: readonly never[] = [];

/**
 * Redacts an entry for names, titles and records. Rows that differ only in redacted values are duplicates. `secrets` are redacted wherever
 * they appear.
 */
export function redactEntry(entry: RowEntry, isRedacted: RedactionPredicate, secrets: readonly unknown[] = none): RowEntry {
  const row = redactValue(entry.row, isRedacted, secrets, none) as object;
  return row === entry.row ? entry : { ...entry, row };
}

/** Returns the value itself if nothing in it is redacted. */
function redactValue(value: unknown, isRedacted: RedactionPredicate, secrets: readonly unknown[], ancestors: readonly unknown[]): unknown {
  if (secrets.includes(value)) return hidden;
  if (typeof value !== 'object' || value === null || ancestors.includes(value)) return value;
  const inside = [...ancestors, value];
  if (Array.isArray(value)) {
    const items = value.map((item) => redactValue(item, isRedacted, secrets, inside));
    return items.some((item, i) => item !== value[i]) ? items : value;
  }
  if (Object.getPrototypeOf(value) !== Object.prototype) return value;
  let isChanged = false;
  const entries = Object.entries(value).map(([name, item]) => {
    const redacted = isRedacted(name) ? hidden : redactValue(item, isRedacted, secrets, inside);
    isChanged ||= redacted !== item;
    return [name, redacted] as const;
  });
  return isChanged ? Object.fromEntries(entries) : value;
}

interface WithSettings {
  readonly fixtures: readonly { readonly settings: readonly { readonly name: string; readonly value: string }[] }[];
}

/** Redacts settings of fixtures. */
export function redactSettings<T extends WithSettings>(described: T, isRedacted: RedactionPredicate | undefined): T {
  if (!isRedacted) return described;
  const shown = (one: T['fixtures'][number]['settings'][number]) => (isRedacted(one.name) ? { ...one, value: hidden } : one);
  return { ...described, fixtures: described.fixtures.map((fixture) => ({ ...fixture, settings: fixture.settings.map(shown) })) };
}

/** Shorter texts would be found everywhere. */
const MIN_SECRET_LENGTH = 4;

/** Texts that are redacted wherever they appear: in messages, output and attachments. */
export class Secrets {
  readonly #isRedacted: RedactionPredicate;
  readonly #texts = new Set<string>();
  #longestFirst: readonly string[] | undefined;

  constructor(isRedacted: RedactionPredicate) {
    this.#isRedacted = isRedacted;
  }

  /** Registers the values of redacted settings, at any depth. */
  registerSecrets(values: object): void {
    for (const [name, value] of Object.entries(values)) {
      if (this.#isRedacted(name)) this.#learnAll(value);
      else if (typeof value === 'object' && value !== null && Object.getPrototypeOf(value) === Object.prototype) this.registerSecrets(value);
    }
  }

  /** Registers the redacted parts of a value: those that its redacted form lacks. */
  learnHidden(value: unknown, shown: unknown): void {
    if (value === shown) return;
    if (shown === hidden) this.#learnAll(value);
    else for (const name of Object.keys(value as object)) this.learnHidden((value as Record<string, unknown>)[name], (shown as Record<string, unknown>)[name]);
  }

  #learnAll(value: unknown): void {
    if (typeof value === 'object' && value !== null) for (const inner of Object.values(value)) this.#learnAll(inner);
    else if (String(value).length >= MIN_SECRET_LENGTH && !this.#texts.has(String(value))) {
      this.#texts.add(String(value));
      this.#longestFirst = undefined;
    }
  }

  /** Registers the settings of a plan's tests, except those that rows override. */
  learnSettings(plan: Plan): void {
    const nodes = new NodeInterner();
    for (const test of plan.tests)
      for (const { node } of resolve(collectNeeds(test), test.inherited.overrideLayers, nodes).resolvedNodes) this.registerSecrets(node.settings);
  }

  /** Redacts every text in a value. */
  redactText<T>(value: T): T {
    if (this.#texts.size === 0) return value;
    // A secret can be a part of another, of which the rest would stay.
    this.#longestFirst ??= [...this.#texts].sort((a, b) => b.length - a.length);
    if (typeof value === 'string') {
      let text: string = value;
      for (const secret of this.#longestFirst) text = text.replaceAll(secret, hidden);
      return text as T;
    }
    if (Array.isArray(value)) return value.map((item) => this.redactText(item)) as T;
    if (typeof value !== 'object' || value === null || value instanceof Uint8Array) return value;
    return Object.fromEntries(Object.entries(value).map(([key, item]) => [key, this.redactText(item)])) as T;
  }
}
