// Bundles the program into dist/: one small entry, and chunks that a command loads only when it needs them.
// `--test-build DIR` builds it elsewhere with fault points and a clock that tests can set.
import { createHash } from 'node:crypto';
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { build } from 'esbuild';
import { bundling, mergeChunks } from './merge-chunks.mjs';
import { bundledPackages, formatBundled, formatNotices } from './notices.mjs';

const { version } = JSON.parse(readFileSync(new URL('../package.json', import.meta.url), 'utf8'));
const root = new URL('..', import.meta.url).pathname;

/** Names what is built: what an older program remembered is not taken for its own. */
function sourceDigest() {
  const hash = createHash('sha256');
  const files = readdirSync(`${root}src`, { recursive: true, withFileTypes: true }).filter((one) => one.isFile());
  const names = [...files.map((one) => path.join(one.parentPath, one.name)).sort(), `${root}package-lock.json`];
  for (const name of names) hash.update(name.slice(root.length)).update(readFileSync(name));
  return hash.digest('hex');
}

/**
 * What libraries make when they are loaded, and what it is replaced by, so that it is made when it is first used: text layout reads
 * 10 ms worth of language data for its segmenter, and as much again for the set of all emoji.
 */
const slowToLoad = [
  [
    'const segmenter = new Intl.Segmenter();',
    'let madeSegmenter; const segmenter = { segment: (text) => (madeSegmenter ??= new Intl.Segmenter()).segment(text) };',
  ],
  [
    'const rgiEmojiRegex = /^\\p{RGI_Emoji}$/v;',
    'let madeEmoji; const rgiEmojiRegex = { test: (text) => (madeEmoji ??= /^\\p{RGI_Emoji}$/v).test(text) };',
  ],
];

/** A build in which a text is not found, or is left over, fails: then the library has changed. */
const lazyTextLayout = {
  name: 'lazy-text-layout',
  setup({ onLoad, onEnd }) {
    const patched = new Set();
    onLoad({ filter: /node_modules[\\/](?:string-width|wrap-ansi|cliui|slice-ansi)[\\/].*\.js$/ }, ({ path }) => {
      let contents = readFileSync(path, 'utf8');
      let rest = contents;
      for (const [made, lazy] of slowToLoad) {
        if (contents.includes(made)) patched.add(made);
        contents = contents.replace(made, () => lazy);
        rest = rest.replace(made, '');
      }
      if (/new Intl\.Segmenter|= \/.*RGI_Emoji/.test(rest))
        return { errors: [{ text: `${path} makes a segmenter or a set of emoji in another way` }] };
      return { contents, loader: 'js' };
    });
    onEnd(() => ({
      errors: slowToLoad
        .filter(([made]) => !patched.has(made))
        .map(([made]) => ({ text: `no file has "${made}": remove it from this list` })),
    }));
  },
};

const testFolder = process.argv[2] === '--test-build' ? path.resolve(process.argv[3]) : null;
const outdir = testFolder ?? `${root}dist`;
rmSync(outdir, { recursive: true, force: true });
const { metafile } = await build({
  metafile: true,
  absWorkingDir: root,
  entryPoints: { main: 'src/cli/main.ts' },
  outdir,
  ...bundling,
  splitting: true,
  chunkNames: 'chunk/[name]-[hash]',
  define: {
    // The compiler asks by its own path whether capitals count on this file system; it never gets to read a file here.
    __filename: '"main.js"',
    'process.env.BEVELSTONE_PROGRAM_VERSION': JSON.stringify(version),
    'process.env.BEVELSTONE_TEST_BUILD': JSON.stringify(testFolder === null ? 'no' : 'yes'),
    'process.env.BEVELSTONE_PROGRAM_BUILD': JSON.stringify(sourceDigest()),
  },
  // Some bundled libraries are CommonJS and ask for built-in modules through require.
  banner: {
    js: "import{createRequire as __bevelstoneRequire}from'node:module';const require=__bevelstoneRequire(import.meta.url);",
  },
  plugins: [lazyTextLayout],
  logLevel: 'warning',
});
await mergeChunks(outdir, metafile);
// Help is printed as it is laid out here: the commands and their options need not be loaded for it.
const [program] = Object.entries(metafile.outputs).find(([, made]) => made.entryPoint === 'src/cli/program.ts');
const { helpTexts } = await import(pathToFileURL(path.resolve(root, program)).href);
for (const { words, width, text } of await helpTexts(version)) {
  mkdirSync(path.join(outdir, 'help', String(width)), { recursive: true });
  writeFileSync(path.join(outdir, 'help', String(width), `${['bevelstone', ...words].join('-')}.txt`), text);
}
const used = Object.values(metafile.outputs).flatMap(({ inputs }) =>
  Object.keys(inputs).filter((input) => inputs[input].bytesInOutput > 0),
);
// Comparing declarations needs those of the language itself.
const library = `${root}node_modules/typescript/lib`;
mkdirSync(path.join(outdir, 'types'));
for (const name of readdirSync(library).filter((file) => /^lib\..*\.d\.ts$/.test(file)))
  copyFileSync(path.join(library, name), path.join(outdir, 'types', name));
// Sources of other languages are read by a parser that loads these. Its own code names its file as one that lies beside it.
const parser = 'node_modules/web-tree-sitter/web-tree-sitter.wasm';
copyFileSync(`${root}${parser}`, path.join(outdir, 'chunk', path.basename(parser)));
const grammars = ['c', 'go', 'python', 'rust'].map(
  (name) => `node_modules/tree-sitter-${name}/tree-sitter-${name}.wasm`,
);
mkdirSync(path.join(outdir, 'grammars'));
for (const grammar of grammars)
  copyFileSync(`${root}${grammar}`, path.join(outdir, 'grammars', path.basename(grammar)));
const packages = bundledPackages(root, [...used, parser, ...grammars]);
writeFileSync(path.join(outdir, 'THIRD-PARTY-NOTICES.txt'), formatNotices(packages));
writeFileSync(path.join(outdir, 'bundled.cdx.json'), formatBundled(packages));
