import { statuses } from '../running/result.ts';

/** The expected type of a field in a file that is read. */
export type Shape = 'text' | 'number' | 'truth' | 'list' | 'texts' | 'object' | 'times' | 'status';
export type Shapes = Readonly<Record<string, Shape>>;

export const isObject = (value: unknown): value is Readonly<Record<string, unknown>> => typeof value === 'object' && value !== null && !Array.isArray(value);

const is: Readonly<Record<Shape, (value: unknown) => boolean>> = {
  text: (value) => typeof value === 'string',
  number: (value) => typeof value === 'number',
  truth: (value) => typeof value === 'boolean',
  list: (value) => Array.isArray(value) && value.every(isObject),
  texts: (value) => Array.isArray(value) && value.every((one) => typeof one === 'string'),
  object: isObject,
  times: (value) => isObject(value) && ['setup', 'body', 'teardown'].every((part) => typeof value[part] === 'number'),
  status: (value) => statuses.some((status) => status === value),
};

/** Describes the first missing or invalid field of an object. Returns undefined if all are valid. */
export const lacks = (value: unknown, shapes: Shapes, name: string): string | undefined => {
  if (!isObject(value)) return `its ${name} is not an object`;
  const part = Object.keys(shapes).find((key) => !is[shapes[key] as Shape](value[key]));
  return part && `its ${name} has ${value[part] === undefined ? 'no' : 'an invalid'} "${part}"`;
};

/** The fields of a result in journals and reports. */
export const outcomeShapes: Shapes = {
  status: 'status',
  attempts: 'number',
  start: 'number',
  checks: 'object',
  failures: 'list',
  steps: 'list',
  output: 'texts',
};
