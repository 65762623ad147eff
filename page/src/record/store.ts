import type { Span } from '../../../src/fixtures/instance.ts';
import { ignoreUnknown } from '../../../src/problems/never.ts';
import { endOfLine, isPass } from '../../../src/results/journal/compact-pass.ts';
import type { JournalEntry } from '../../../src/results/journal/entries.ts';
import { JournalReader } from '../../../src/results/journal/reader.ts';
import type { EarlierRun, PageEntry, PageHead } from '../../../src/results/page-entries.ts';
import type { RecordedResult, TestHeader } from '../../../src/results/recorded-result.ts';
import type { RunInfo } from '../../../src/results/run-info.ts';
import { applyEntry, createRunState, type RunState, setNotRun } from '../../../src/results/run-state.ts';
import type { Status } from '../../../src/running/result.ts';

const encoder = new TextEncoder();
const decoder = new TextDecoder();

/** A case with its result. */
export class Item {
  readonly result: RecordedResult;
  readonly lane: number;
  /** The start time of its process in milliseconds since 1970. `result.start` is relative to it. */
  readonly zero: number;
  readonly test: TestItem;
  #text: string | undefined;

  constructor(result: RecordedResult, lane: number, zero: number, test: TestItem) {
    this.result = result;
    this.lane = lane;
    this.zero = zero;
    this.test = test;
  }

  /** Its title and id in lower case for the filter, created on demand. */
  get text(): string {
    this.#text ??= `${this.result.title} ${this.result.id}`.toLowerCase();
    return this.#text;
  }
}

export interface TestItem {
  /** The header with the most details. */
  header: TestHeader;
  readonly items: Item[];
}

/** A key that identifies a test across runs: its id, and its titles if a parameterized suite has it several times. */
export const keyOf = ({ header }: TestItem): string => `${header.id} ${header.path.join(' › ')}`;

export interface Excerpt {
  readonly first: number;
  readonly lines: readonly string[];
}

export interface Content {
  readonly size: number;
  readonly base64?: string | undefined;
}

/** The part of a run that has reached the page: read line by line, kept in memory. */
export class Store {
  name = '';
  info: RunInfo | undefined;
  history: readonly EarlierRun[] = [];
  /** Whether the run is in progress. */
  live = false;
  items: Item[] = [];
  tests = new Map<number, TestItem>();
  #byId = new Map<string, Item>();
  /** The number of its items. */
  #named = 0;
  /** Each with the start time of its process: milliseconds since 1970. */
  spans: (Span & { readonly lane: number; readonly zero: number })[] = [];
  /** The start time of the latest process of each lane, in milliseconds since 1970. */
  #starts = new Map<number, number>();
  /** The start time of the first process. */
  began = Number.POSITIVE_INFINITY;
  excerpts = new Map<string, Excerpt[]>();
  contents = new Map<string, Content>();
  state: RunState = createRunState();
  /** Increases with each change. */
  version = 0;
  /** The reason if nothing can be shown. */
  problem: string | undefined;
  #reader = new JournalReader();
  #lane = 0;
  readonly #listeners = new Set<() => void>();

  /** Reads complete lines, then notifies the listeners once. */
  read(text: string): void {
    // Most lines are compact passes, which are read from bytes.
    const lines = encoder.encode(text);
    for (let from = 0; from < lines.length; ) {
      const result = isPass(lines[from]) ? this.#reader.readPass(lines, from) : undefined;
      const end = result?.end ?? endOfLine(lines, from);
      if (result) this.#take({ type: 'ended', result });
      else if (end > from && !isPass(lines[from])) this.#line(decoder.decode(lines.subarray(from, end)));
      from = end + 1;
    }
    this.changed();
  }

  #line(line: string): void {
    let parsed: PageHead | PageEntry;
    try {
      parsed = JSON.parse(line) as PageHead | PageEntry;
    } catch {
      return;
    }
    if ('format' in parsed) {
      this.begin(parsed);
      return;
    }
    switch (parsed.type) {
      case 'new-run':
        this.begin(parsed.head);
        break;
      case 'run-ended':
        this.info = parsed.info;
        this.live = false;
        setNotRun(this.state, parsed.info.notRun);
        break;
      case 'source':
        this.excerpts.set(parsed.file, [...(this.excerpts.get(parsed.file) ?? []), parsed]);
        break;
      case 'content':
        this.contents.set(parsed.file, parsed);
        break;
      default:
        this.#reader.read(line);
        this.#take(parsed);
    }
  }

  begin({ name, info, history, live = false }: PageHead): void {
    const { version } = this;
    Object.assign(this, {
      name,
      info,
      history,
      live,
      items: [],
      tests: new Map(),
      spans: [],
      excerpts: new Map(),
      contents: new Map(),
    });
    this.#byId = new Map();
    this.#starts = new Map();
    this.began = Number.POSITIVE_INFINITY;
    this.#named = 0;
    this.state = createRunState();
    setNotRun(this.state, info.notRun);
    this.#reader = new JournalReader();
    this.version = version + 1;
  }

  #take(entry: JournalEntry): void {
    applyEntry(this.state, entry);
    switch (entry.type) {
      case 'header':
        this.#lane = entry.lane;
        break;
      case 'test': {
        const known = this.tests.get(entry.header.test);
        if (known) known.header = { ...known.header, ...entry.header };
        else this.tests.set(entry.header.test, { header: entry.header, items: [] });
        break;
      }
      case 'running':
        this.#starts.set(this.#lane, entry.at);
        this.began = Math.min(this.began, entry.at);
        break;
      case 'span':
        this.spans.push({ ...entry.span, lane: this.#lane, zero: this.#starts.get(this.#lane) ?? this.began });
        break;
      case 'ended': {
        const { result } = entry;
        const test = this.tests.get(result.test);
        if (!test) return;
        const item = new Item(result, this.#lane, this.#starts.get(this.#lane) ?? this.began, test);
        test.items.push(item);
        this.items.push(item);
        break;
      }
      // The run state handles some of these; the others concern lanes only.
      case 'activity':
      case 'loaded':
      case 'planned':
      case 'work-units':
      case 'exit-attributed':
      case 'idle':
      case 'expected-file':
      case 'warning':
      case 'listed':
      case 'started':
      case 'streaming':
      case 'passed':
      case 'teardown-failed':
      case 'test-ended':
      case 'explained':
      case 'problem':
      case 'output':
      case 'leaks':
      case 'located-leaks':
      case 'override-usage':
      case 'finished':
        break;
      default:
        ignoreUnknown(entry);
    }
  }

  changed(): void {
    this.version++;
    for (const listener of this.#listeners) listener();
  }

  readonly subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener);
    return () => this.#listeners.delete(listener);
  };

  /** The case with an id. Ids are computed on first use. */
  find(id: string): Item | undefined {
    for (; this.#named < this.items.length; this.#named++) {
      const item = this.items[this.#named] as Item;
      this.#byId.set(item.result.id, item);
    }
    return this.#byId.get(id);
  }

  /** Prepares the texts for the filter while the page is idle. */
  warm(): void {
    let at = 0;
    const some = (): void => {
      const until = performance.now() + 8;
      while (at < this.items.length && performance.now() < until) for (const end = Math.min(this.items.length, at + 200); at < end; at++) this.items[at]?.text;
      if (at < this.items.length) setTimeout(some, 4);
    };
    setTimeout(some, 300);
  }

  /** The status of a case in an earlier run. Undefined if its test did not run. */
  inEarlier(run: EarlierRun, { result, test }: Item): Status | undefined {
    return run.notPassed[result.id] ?? (test.header.id in run.times ? 'passed' : undefined);
  }

  /** Cases that fail and did not fail in the previous run. */
  get newlyFailing(): Item[] {
    const [before] = this.history;
    if (!before) return [];
    return this.items.filter((item) => isFailing(item.result.status) && !isFailing(before.notPassed[item.result.id]));
  }
}

export const isFailing = (status: Status | undefined): boolean => status === 'failed' || status === 'errored';
export const timeOf = ({ times }: Pick<RecordedResult, 'times'>): number => times.setup + times.body + times.teardown;
