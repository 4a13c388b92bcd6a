// Bundles the program into dist/: one small entry, and chunks that a command loads only when it needs them.
import { readFileSync, rmSync } from 'node:fs';
import { build } from 'esbuild';

const { version } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8'));
const root = new URL('..', import.meta.url).pathname;

rmSync(`${root}dist`, { recursive: true, force: true });
await build({
  absWorkingDir: root,
  entryPoints: { main: 'src/cli/main.ts' },
  outdir: 'dist',
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20.20',
  minifyWhitespace: true,
  minifySyntax: true,
  legalComments: 'linked',
  chunkNames: 'chunk/[name]-[hash]',
  define: { 'process.env.BEVELSTONE_PROGRAM_VERSION': JSON.stringify(version) },
  // Some bundled libraries are CommonJS and ask for built-in modules through require.
  banner: {
    js: "import{createRequire as __bevelstoneRequire}from'node:module';const require=__bevelstoneRequire(import.meta.url);",
  },
  logLevel: 'warning',
});
