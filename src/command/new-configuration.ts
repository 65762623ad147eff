import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { findConfigurationIn } from '../node/configuration.ts';
import type { ProjectStyle } from './project-style.ts';

const configuration = (files: string): string => `import { defineConfig } from 'red-lattice';

export default defineConfig({
  files: ['${files}'],
  timeout: 10_000,
});
`;

/** In a CommonJS package, Node's rules would make the test files CommonJS, too. */
const tsconfig = (isModule: boolean): string => `{
  "compilerOptions": {
    ${isModule ? '"module": "nodenext",' : '"module": "esnext",\n    "moduleResolution": "bundler",'}
    "target": "es2022",
    "strict": true,
    "allowImportingTsExtensions": true,
    "noEmit": true
  }
}
`;

/**
 * Writes missing files of a project: a configuration, a tsconfig.json, and a script in package.json. Changes nothing else. Returns a
 * description of the changes.
 */
export async function writeConfiguration(root: string, { language, isModule, testFolder }: ProjectStyle, needsTypeScript: boolean): Promise<string[]> {
  const done: string[] = [];
  const write = (name: string, text: string): void => {
    writeFileSync(join(root, name), text, { flag: 'wx' });
    done.push(`Wrote ${name}`);
  };
  if (findConfigurationIn(root) === undefined)
    write(
      `red-lattice.config.${language === 'ts' ? 'ts' : 'mjs'}`,
      configuration(`${testFolder === undefined ? '**' : `${testFolder}/**`}/*.lattice.{ts,mts,js,mjs}`),
    );
  if (needsTypeScript && !existsSync(join(root, 'tsconfig.json'))) write('tsconfig.json', tsconfig(isModule));
  const script = await addScript(join(root, 'package.json'));
  return script === undefined ? done : [...done, script];
}

/** Adds a script that runs the tests: `test`, or `lattice` if the project has a test script. The rest of the file stays as it is. */
async function addScript(path: string): Promise<string | undefined> {
  if (!existsSync(path)) return undefined;
  const { applyEdits, modify, parse } = await import('jsonc-parser');
  const text = readFileSync(path, 'utf8');
  const { scripts = {} } = (parse(text) ?? {}) as { scripts?: Readonly<Record<string, string>> };
  if (Object.values(scripts).some((script) => /\bred-lattice\b/.test(script))) return undefined;
  const hasTest = scripts['test'] !== undefined && !scripts['test'].includes('no test specified');
  const name = hasTest ? 'lattice' : 'test';
  const indent = /^([ \t]+)"/m.exec(text)?.[1] ?? '  ';
  const formattingOptions = { insertSpaces: !indent.startsWith('\t'), tabSize: indent.length, eol: text.includes('\r\n') ? '\r\n' : '\n' };
  writeFileSync(path, applyEdits(text, modify(text, ['scripts', name], 'red-lattice run', { formattingOptions })));
  return `Added the script "${name}" to package.json`;
}
