import { statuses } from '../running/result.ts';

type SimpleShape = 'text' | 'number' | 'count' | 'boolean' | 'list' | 'texts' | 'object' | 'numbers' | 'names' | 'status';
/** The expected type of a field in a file. `count`: an integer from 0. `numbers` and `names`: an object of these. */
export type Shape = SimpleShape | { readonly optional: Shape } | { readonly each: Shape } | { readonly fields: Shapes };
export type Shapes = Readonly<Record<string, Shape>>;

export const optional = (shape: Shape): Shape => ({ optional: shape });
export const each = (shape: Shape): Shape => ({ each: shape });
export const fields = (shapes: Shapes): Shape => ({ fields: shapes });

export const isObject = (value: unknown): value is Readonly<Record<string, unknown>> => typeof value === 'object' && value !== null && !Array.isArray(value);
const isText = (value: unknown): value is string => typeof value === 'string';
const isNumber = (value: unknown): value is number => typeof value === 'number';
const isList = (value: unknown): value is readonly unknown[] => Array.isArray(value);

const plain: Readonly<Record<SimpleShape, (value: unknown) => boolean>> = {
  text: isText,
  number: isNumber,
  count: (value) => Number.isSafeInteger(value) && (value as number) >= 0,
  boolean: (value) => typeof value === 'boolean',
  list: (value) => isList(value) && value.every(isObject),
  texts: (value) => isList(value) && value.every(isText),
  object: isObject,
  numbers: (value) => isObject(value) && Object.values(value).every(isNumber),
  names: (value) => isObject(value) && Object.values(value).every(isText),
  status: (value) => statuses.some((status) => status === value),
};

function isOf(value: unknown, shape: Shape): boolean {
  if (typeof shape === 'string') return plain[shape](value);
  if ('optional' in shape) return value === undefined || value === null || isOf(value, shape.optional);
  if ('each' in shape) return isList(value) && value.every((item) => isOf(item, shape.each));
  return isObject(value) && Object.keys(shape.fields).every((key) => isOf(value[key], shape.fields[key] as Shape));
}

/** Describes the first missing or invalid field of an object. Returns undefined if all are valid. */
export const findFault = (value: unknown, shapes: Shapes, name: string): string | undefined => {
  if (!isObject(value)) return `its ${name} is not an object`;
  const part = Object.keys(shapes).find((key) => !isOf(value[key], shapes[key] as Shape));
  return (
    part && (findInnermostFault(value[part], shapes[part] as Shape, part) ?? `its ${name} has ${value[part] === undefined ? 'no' : 'an invalid'} "${part}"`)
  );
};

/** The same, for the innermost object that has the field. */
function findInnermostFault(value: unknown, shape: Shape, name: string): string | undefined {
  if (typeof shape === 'string') return undefined;
  if ('optional' in shape) return findInnermostFault(value, shape.optional, name);
  if ('fields' in shape) return isObject(value) ? findFault(value, shape.fields, name) : undefined;
  const items = isList(value) ? value : [];
  return items.map((item) => findInnermostFault(item, shape.each, name)).find((found) => found !== undefined);
}

const location: Shapes = { file: 'text', line: 'number', column: 'number', sheet: optional('text') };
export const locationShape: Shape = fields(location);
const frame: Shape = fields({ ...location, functionName: optional('text') });

const failure: Shape = fields({
  cause: 'text',
  message: 'text',
  note: optional('text'),
  actual: optional('text'),
  expected: optional('text'),
  location: optional(locationShape),
  frames: optional(each(frame)),
  step: optional('texts'),
  causes: optional('texts'),
  fixture: optional('text'),
  columns: optional(each(fields({ column: 'text', heading: optional('text'), text: optional('text'), reason: optional('text') }))),
  tableRow: optional(fields({ location: locationShape, index: 'count' })),
  differingFile: optional(fields({ file: 'text', attachment: 'text', isNew: optional('boolean') })),
});

export const times: Shape = fields({ setup: 'number', body: 'number', teardown: 'number' });

/** The fields of a result in journals and reports. */
export const outcomeShapes: Shapes = {
  status: 'status',
  cause: optional('text'),
  reason: optional('text'),
  attempts: 'count',
  start: 'number',
  checks: fields({ passed: 'count', failed: 'count' }),
  failures: each(failure),
  steps: each(fields({ title: 'text', depth: 'count', status: 'text', milliseconds: 'number' })),
  output: 'texts',
};
