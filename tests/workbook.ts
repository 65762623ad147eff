import { strToU8, zipSync } from 'fflate';

export type Cell = string | number | boolean | Date | { readonly error: string } | { readonly formula: string; readonly result?: string } | undefined;

const letters = (column: number): string => (column < 26 ? '' : letters(Math.floor(column / 26) - 1)) + String.fromCharCode(65 + (column % 26));
const escaped = (text: string): string => text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);

/** Writes a small workbook: sheets of rows, with shared texts in every other sheet. Empty rows and cells are left out. */
export function writeWorkbook(sheets: Readonly<Record<string, readonly (readonly Cell[])[]>>): Uint8Array {
  const shared: string[] = [];
  const names = Object.keys(sheets);
  const parts = Object.values(sheets).map((rows, number) => {
    const written = (value: Cell, address: string): string => {
      if (value === undefined) return '';
      if (value instanceof Date) return `<c r="${address}" s="1"><v>${value.getTime() / 86_400_000 + 25_569}</v></c>`;
      if (typeof value === 'object' && 'formula' in value)
        return `<c r="${address}" t="str"><f>${escaped(value.formula)}</f>${value.result === undefined ? '' : `<v>${value.result}</v>`}</c>`;
      if (typeof value === 'object') return `<c r="${address}" t="e"><v>${value.error}</v></c>`;
      if (typeof value === 'boolean') return `<c r="${address}" t="b"><v>${Number(value)}</v></c>`;
      if (typeof value === 'number') return `<c r="${address}"><v>${value}</v></c>`;
      if (number % 2) return `<c r="${address}" t="inlineStr"><is><t xml:space="preserve">${escaped(value)}</t></is></c>`;
      return `<c r="${address}" t="s"><v>${shared.push(value) - 1}</v></c>`;
    };
    const body = rows.map((cells, row) => {
      const inner = cells.map((value, column) => written(value, `${letters(column)}${row + 1}`)).join('');
      return inner && `<row r="${row + 1}">${inner}</row>`;
    });
    return `<worksheet xmlns="x"><sheetData>${body.join('')}</sheetData></worksheet>`;
  });
  return zip({
    ...Object.fromEntries(parts.map((part, i) => [`xl/worksheets/sheet${i + 1}.xml`, part])),
    'xl/sharedStrings.xml': `<sst xmlns="x">${shared.map((text) => `<si><r><t xml:space="preserve">${escaped(text)}</t></r><rPh><t>kana</t></rPh></si>`).join('')}</sst>`,
    'xl/styles.xml':
      '<styleSheet xmlns="x"><numFmts><numFmt numFmtId="170" formatCode="[$-409]d\\ mmm;@"/></numFmts><cellXfs><xf numFmtId="0"/><xf numFmtId="170"/></cellXfs></styleSheet>',
    'xl/workbook.xml': `<workbook xmlns="x" xmlns:r="y"><sheets>${names.map((name, i) => `<sheet name="${escaped(name)}" sheetId="${i + 7}" r:id="r${i}"/>`).join('')}</sheets></workbook>`,
    'xl/_rels/workbook.xml.rels': `<Relationships xmlns="x">${names.map((_, i) => `<Relationship Id="r${i}" Target="${i ? '/xl/' : ''}worksheets/sheet${i + 1}.xml"/>`).join('')}</Relationships>`,
  });
}

export const zip = (parts: Readonly<Record<string, string>>): Uint8Array =>
  zipSync(Object.fromEntries(Object.entries(parts).map(([name, text]) => [name, strToU8(text)])), { level: 1, extra: { 29285: Uint8Array.of(1, 2, 3) } });
