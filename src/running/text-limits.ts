import { formatValue } from '../checks/format-value.ts';
import { formatThousands } from '../problems/format-thousands.ts';

/** Characters of the name of an attachment. */
export const MAX_NAME_LENGTH = 200;
/** Characters of a title, a reason or a note. */
export const MAX_NOTE_LENGTH = 10_000;
/** Characters of an error message. */
export const MAX_MESSAGE_LENGTH = 20_000;

/** Cuts a text that is longer than `most` characters, and appends how long it was. */
export const limitText = (text: string, most: number): string =>
  text.length <= most ? text : `${text.slice(0, most)}… (${formatThousands(text.length)} characters)`;

/** Converts what a test passes as a text. Code without types can pass anything. */
export const toText = (value: unknown, most = MAX_NOTE_LENGTH): string => limitText(typeof value === 'string' ? value : formatValue(value), most);
