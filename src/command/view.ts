import { findRoot } from '../node/find-files.ts';
import { openRecord } from '../node/recorded.ts';
import type { CommandContext } from './command-context.ts';
import { createFormatting, failWith } from './terminal.ts';

/** Serves the results page until it is interrupted. */
export async function viewCommand(name: string, { port }: { readonly port: number }, { folder, terminal, onInterrupt }: CommandContext): Promise<number> {
  const root = findRoot(folder);
  const record = openRecord(name, root, folder);
  if (typeof record === 'string') return failWith(terminal, record);
  const { servePage } = await import('../node/serve-page.ts');
  const serving = await servePage({
    record,
    follows: name === 'latest',
    root,
    port,
    command: process.argv[1] as string,
    names: (recordRoot) => createFormatting(recordRoot, terminal, root),
  });
  terminal.out(
    `Results of ${record.name}:\n\n  ${terminal.style.bold(serving.address)}\n\n${terminal.style.dim('On this machine only. Press Ctrl-C to stop.')}`,
  );
  await new Promise<void>((resolve) => onInterrupt(() => resolve()));
  serving.close();
  return 0;
}
