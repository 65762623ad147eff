// Builds the results page into one file, page/dist/page.html. It contains its script and style, each allowed only by its hash.
import { createHash } from 'node:crypto';
import { mkdirSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { build } from 'vite';

const folder = fileURLToPath(new URL('../page', import.meta.url));
const { output } = await build({ root: folder, configFile: `${folder}/vite.config.ts`, logLevel: 'warn', build: { write: false } });
const script = output.find((part) => part.type === 'chunk' && part.isEntry).code.replaceAll('</script', '<\\/script');
const style = String(output.find((part) => part.fileName.endsWith('.css')).source);
const hash = (text) => `'sha256-${createHash('sha256').update(text).digest('base64')}'`;
const policy = [
  "default-src 'none'",
  `script-src ${hash(script)}`,
  `style-src ${hash(style)}`,
  'img-src data: blob:',
  'font-src data:',
  "connect-src 'self'",
  'frame-src blob:',
  "base-uri 'none'",
  "form-action 'none'",
].join('; ');
mkdirSync(`${folder}/dist`, { recursive: true });
writeFileSync(
  `${folder}/dist/page.html`,
  `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="${policy}">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<title>Red Lattice</title>
<style>${style}</style>
</head>
<body>
<div id="page"></div>
<!--record-->
<script type="module">${script}</script>
</body>
</html>
`,
);
