import { type CellChange, type Edited, refuseChange } from './change.ts';
import { decodeText } from './text-encoding.ts';

/** Changes cells in the content of a data file, by file extension. */
export async function editFile(bytes: Uint8Array, name: string, changes: readonly CellChange[]): Promise<Edited<Uint8Array>> {
  const extension = /\.[^./]+$/.exec(name)?.[0].toLowerCase() ?? '';
  if (extension === '.xlsx') return (await import('./edit-workbook.ts')).editWorkbook(bytes, name, changes);
  const decoded = decodeText(bytes);
  const edit = await findEditor(extension, name);
  if (!edit || !decoded) {
    const reason = edit ? 'the file is not a text in UTF-8 or UTF-16' : `files that end in ${extension} cannot be changed`;
    return { content: bytes, made: [], refused: changes.map((change) => refuseChange(change, reason)) };
  }
  const { content, made, refused } = edit(decoded.text, changes);
  return { content: made.length > 0 ? decoded.encode(content) : bytes, made, refused };
}

/** Each editor is loaded when a file of its format is changed. */
async function findEditor(extension: string, name: string): Promise<((text: string, changes: readonly CellChange[]) => Edited) | undefined> {
  switch (extension) {
    case '.csv':
    case '.tsv': {
      const { editDelimited } = await import('./edit-delimited.ts');
      return (text, changes) => editDelimited(text, extension, changes);
    }
    case '.json':
      return (await import('./edit-json.ts')).editJson;
    case '.jsonl':
    case '.ndjson':
      return (await import('./edit-json.ts')).editJsonLines;
    case '.yaml':
    case '.yml':
      return (await import('./edit-yaml.ts')).editYaml;
    default: {
      if (!/^\.[cm]?[jt]sx?$/.test(extension)) return undefined;
      const { editTables } = await import('./edit-table.ts');
      return (text, changes) => editTables(text, name, changes);
    }
  }
}
