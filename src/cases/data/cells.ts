import { throwProblem } from '../../problems/problem-error.ts';

declare const cellValue: unique symbol;

/** The type of a column's cells. */
export interface Cell<T> {
  /** The name of the type in messages: "integer". */
  readonly kind: string;
  /** Allows empty cells: the row then has no such property. */
  optional(): Cell<T> & { readonly absent: true };
  /** Allows empty cells: they have this value. */
  default<const D extends string | {} | null | undefined>(fallback: D): Cell<T | D>;
  /** Sets the column's heading in the file. Default: the property's name. */
  heading(heading: string): this;
  readonly [cellValue]: () => T;
}
/** The type of a column of numbers. */
export interface NumberCell extends Cell<number> {
  /** How far a computed value can be from the cell in `check.columns`. Default: 0. */
  within(tolerance: number): NumberCell;
}
export type ValueOfCell<C> = C extends Cell<infer V> ? V : never;

/** The result of reading a cell that does not match its column. */
export class CellError {
  readonly hint: string | undefined;
  constructor(hint?: string) {
    this.hint = hint;
  }
}

/** The result of reading a cell: the value itself, since millions of cells are read, or an error. */
export type CellResult<T> = T | CellError;

type Emptiness = { readonly kind: 'error' } | { readonly kind: 'absent' } | { readonly kind: 'value'; readonly value: unknown };

/** How cells of a type are read and written. */
interface CellCodec<T> {
  readonly kind: string;
  readonly read: (text: string) => CellResult<T>;
  /** Reads an object or a list of a document. Absent if the type has no such values. */
  readonly readValue?: ((value: object) => CellResult<T>) | undefined;
  /** Formats a value as the text of a cell. Default: a string unchanged, a number or a boolean as JSON. */
  readonly write?: ((value: T) => string | undefined) | undefined;
}

/** The declared settings of one column. */
interface ColumnSettings {
  readonly heading?: string | undefined;
  readonly emptyPolicy: Emptiness;
  readonly tolerance?: number | undefined;
}

/** Implements `Cell`. */
export class CellReader<T> implements Cell<T> {
  declare readonly [cellValue]: () => T;
  readonly #codec: CellCodec<T>;
  readonly #settings: ColumnSettings;
  readonly kind: string;
  readonly read: (text: string) => CellResult<T>;
  readonly readValue: ((value: object) => CellResult<T>) | undefined;
  readonly headingInFile: string | undefined;
  readonly emptyPolicy: Emptiness;
  readonly tolerance: number | undefined;

  constructor(codec: CellCodec<T>, settings: ColumnSettings = { emptyPolicy: { kind: 'error' } }) {
    this.#codec = codec;
    this.#settings = settings;
    this.kind = codec.kind;
    this.read = codec.read;
    this.readValue = codec.readValue;
    this.headingInFile = settings.heading;
    this.emptyPolicy = settings.emptyPolicy;
    this.tolerance = settings.tolerance;
  }

  /** Formats a value as the text of a cell. Returns undefined if a cell cannot hold it. */
  write(value: unknown): string | undefined {
    const { emptyPolicy } = this;
    if (value === undefined) return emptyPolicy.kind === 'absent' || (emptyPolicy.kind === 'value' && emptyPolicy.value === undefined) ? '' : undefined;
    if (emptyPolicy.kind === 'value' && value === emptyPolicy.value && (typeof value !== 'string' || value === '')) return '';
    try {
      return (this.#codec.write ?? writePlain)(value as T);
    } catch {
      // The value does not have this type.
      return undefined;
    }
  }

  optional(): CellReader<T> & { readonly absent: true } {
    return this.#with({ emptyPolicy: { kind: 'absent' } }) as CellReader<T> & { readonly absent: true };
  }

  default<const D extends string | {} | null | undefined>(fallback: D): CellReader<T | D> {
    return this.#with({ emptyPolicy: { kind: 'value', value: fallback } }) as CellReader<T | D>;
  }

  heading(heading: string): this {
    return this.#with({ heading }) as this;
  }

  within(tolerance: number): this {
    if (!(tolerance >= 0)) throwProblem({ code: 'invalid-type', expected: 'number of at least 0', got: String(tolerance), owner: '`within`' });
    return this.#with({ tolerance }) as this;
  }

  #with(more: Partial<ColumnSettings>): CellReader<T> {
    return new CellReader(this.#codec, { ...this.#settings, ...more });
  }
}

/** Formats a string, a number or a boolean. */
export function writePlain(value: unknown): string | undefined {
  if (typeof value === 'string') return value;
  return typeof value === 'boolean' || (typeof value === 'number' && Number.isFinite(value)) ? String(value) : undefined;
}

/** Reads a value of a document: strings as in a table, objects directly, other values by their JSON text. */
export function readValue<T>(reader: CellReader<T>, value: unknown): CellResult<T> {
  if (typeof value === 'string') return reader.read(value);
  if (typeof value === 'object' && value !== null) return reader.readValue ? reader.readValue(value) : new CellError();
  return reader.read(String(value));
}

const make = <T>(kind: string, read: (text: string) => CellResult<T>, more: Pick<CellCodec<T>, 'readValue' | 'write'> = {}): Cell<T> =>
  new CellReader({ kind, read, ...more });

/** Reads a cell of text. */
export const identity = (text: string): string => text;

const jsonNumber = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/;

/**
 * Reads a number of a few plain digits, as most are; returns -1 for any other text. Both operands of the division are exact, so that the
 * result is rounded correctly (W. D. Clinger, How to read floating point numbers accurately, 1990).
 */
function parsePlainNumber(text: string): number {
  const { length } = text;
  let digits = 0;
  let scale = 0;
  for (let i = 0; i < length; i++) {
    const digit = text.charCodeAt(i) - 48;
    if (digit === point && i > 0 && i < length - 1 && scale === 0) scale = 1;
    else if (digit < 0 || digit > 9 || i >= 15 || (digits === 0 && scale === 0 && i > 0)) return -1;
    else {
      digits = digits * 10 + digit;
      scale *= 10;
    }
  }
  return length === 0 ? -1 : scale === 0 ? digits : digits / scale;
}

const point = -2;

function readNumber(text: string): CellResult<number> {
  const plain = parsePlainNumber(text);
  if (plain >= 0) return plain;
  if (jsonNumber.test(text)) return Number(text);
  if (/^-?\d{1,3}(?:,\d{3})+(?:\.\d+)?$/.test(text)) return new CellError(`this looks like a thousands separator; write ${text.replaceAll(',', '')}`);
  if (/^-?\d+,\d+$/.test(text)) return new CellError(`this looks like a decimal comma; write ${text.replace(',', '.')}`);
  if (/^[+-]?0\d/.test(text)) return new CellError('numbers have no leading zeros; use cell.text for codes');
  if (/^\+\d|^-?\.\d|^-?\d+\.$/.test(text) && Number.isFinite(Number(text))) return new CellError(`write ${Number(text)}`);
  return new CellError();
}

function readInteger(text: string): CellResult<number> {
  const value = readNumber(text);
  if (value instanceof CellError || Number.isSafeInteger(value)) return value;
  return new CellError(Number.isInteger(value) ? 'too large for an exact number' : undefined);
}

const isoDate = /^(\d{4})-(\d\d)-(\d\d)(?:T\d\d:\d\d(?::\d\d(?:\.\d+)?)?(Z|[+-]\d\d:\d\d)?)?$/;

function readDate(text: string): CellResult<Date> {
  const match = isoDate.exec(text);
  if (!match) return new CellError('write it as 2031-04-30 or 2031-04-30T08:00Z');
  const value = new Date(text.includes('T') && !match[4] ? `${text}Z` : text);
  const day = new Date(`${match[1]}-${match[2]}-${match[3]}`);
  // Engines read 30 February as 2 March.
  const real = !Number.isNaN(value.getTime()) && day.getUTCDate() === Number(match[3]);
  return real ? value : new CellError('this date or time does not exist');
}

/** Writes a date at midnight as a day without a time. */
const writeDate = (value: Date): string => value.toISOString().replace(/T00:00:00\.000Z$|\.000(?=Z$)/, '');

/** Compared one by one: a lookup would have to hash the text. */
function parseBoolean(text: string): boolean | undefined {
  if (text === 'true' || text === 'yes' || text === '1') return true;
  return text === 'false' || text === 'no' || text === '0' ? false : undefined;
}

function wrapParser<T>(parse: (text: string) => T): (text: string) => CellResult<T> {
  return (text) => {
    try {
      return parse(text);
    } catch (error) {
      return new CellError(error instanceof Error ? error.message : String(error));
    }
  };
}

/**
 * The cell types of data files. Blanks around a cell are trimmed unless it is quoted. An empty cell is an error unless its type has
 * `.optional()` or `.default(…)`.
 *
 * ```ts
 * { loa: cell.number, nights: cell.integer.default(1), hull: cell.oneOf('mono', 'cat'), paid: cell.boolean.heading('Paid?') }
 * ```
 */
export const cell = {
  /** Text, unchanged. */
  text: make('text', identity),
  /** A number as in JSON: no thousands separators, no decimal comma. */
  number: make('number', readNumber) as NumberCell,
  /** An integer. */
  integer: make('integer', readInteger) as NumberCell,
  /** true or false, yes or no, 1 or 0; case does not matter. */
  boolean: make('boolean', (text) => parseBoolean(text) ?? parseBoolean(text.toLowerCase()) ?? new CellError('write true or false, yes or no, or 1 or 0')),
  /** An ISO 8601 date or time in UTC: 2031-04-30, 2031-04-30T09:00Z. */
  date: make('date', readDate, { write: writeDate }),
  /** Any JSON value. */
  json: make<unknown>(
    'JSON value',
    wrapParser((text) => JSON.parse(text) as unknown),
    { readValue: (value) => value, write: (value) => JSON.stringify(value) },
  ),
  /** A custom type. What `parse` throws becomes the message. `write` returns the text of a cell, for `accept`; default: that of a string or number. */
  from: <T>(kind: string, parse: (text: string) => T, write?: (value: T) => string): Cell<T> => make(kind, wrapParser(parse), { write }),
  /** One of these strings, exactly. */
  oneOf: <const V extends readonly string[]>(...allowed: V): Cell<V[number]> =>
    make<V[number]>(`one of ${allowed.join(', ')}`, (text) => (allowed.includes(text) ? (text as V[number]) : new CellError())),
  /** Several values in one cell, separated by `separator`. Default: ';'. */
  list<T>(item: Cell<T>, separator = ';'): Cell<T[]> {
    const reader = item as CellReader<T>;
    const all = (parts: readonly unknown[]): CellResult<T[]> => {
      const values: T[] = [];
      for (const part of parts) {
        const value = readValue(reader, part);
        if (value instanceof CellError) return new CellError(`${JSON.stringify(part)} is invalid; ${value.hint ?? `separate the parts by "${separator}"`}`);
        values.push(value);
      }
      return values;
    };
    return make(`list of ${reader.kind}s`, (text) => all(text.split(separator).map((part) => part.trim())), {
      readValue: (value) => (Array.isArray(value) ? all(value) : new CellError()),
      write(value) {
        const texts = value.map((one) => reader.write(one));
        return texts.every((text) => text !== undefined && !text.includes(separator)) ? texts.join(separator) : undefined;
      },
    });
  },
};
