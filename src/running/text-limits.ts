import { formatValue } from '../checks/format-value.ts';
import { formatThousands } from '../problems/format-thousands.ts';

/** The maximum length of an attachment's name, in characters. */
export const MAX_NAME_LENGTH = 200;
/** The maximum length of a title, a reason or a note, in characters. */
export const MAX_NOTE_LENGTH = 10_000;
/** The maximum length of an error message, in characters. */
export const MAX_MESSAGE_LENGTH = 20_000;

/** Cuts a text that is longer than `maxLength` characters, and appends its length. */
export const limitText = (text: string, maxLength: number): string =>
  text.length <= maxLength ? text : `${text.slice(0, maxLength)}… (${formatThousands(text.length)} characters)`;

/** Converts an argument to a text. Untyped code can pass anything. */
export const toText = (value: unknown, maxLength = MAX_NOTE_LENGTH): string => limitText(typeof value === 'string' ? value : formatValue(value), maxLength);
