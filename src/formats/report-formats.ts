/** The formats of a record, besides text for people. */
export const reportFormats = ['html', 'markdown', 'tap', 'csv', 'json', 'jsonl', 'ctrf'] as const;
export type ReportFormat = (typeof reportFormats)[number];

/** The format for a file name. */
export function findFormat(file: string): ReportFormat | undefined {
  if (/\.ctrf\.json$/i.test(file)) return 'ctrf';
  const extension = /\.([a-z]+)$/i.exec(file)?.[1]?.toLowerCase();
  return extension === 'md' ? 'markdown' : extension === 'htm' ? 'html' : reportFormats.find((format) => format !== 'ctrf' && format === extension);
}
