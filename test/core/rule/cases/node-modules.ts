import { npmArtifact } from '../../../builders/artifact.ts';
import type { BreakingCase, NearlyCase } from './case.ts';

type Files = Readonly<Record<string, string>>;

const esm = 'export const heights = [1];\nexport default heights;\n';
const cjs = 'exports.heights = [1];\n';
const one = 'module.exports = function tide() {};\n';
const types = 'export declare const heights: number[];\n';
const typesWithDefault = `${types}declare const all: number[];\nexport default all;\n`;

/** A package with both kinds of code; the usual files are left out. */
function both(exports: unknown, files: Files, json: Readonly<Record<string, unknown>> = {}) {
  const none = { 'package/dist/tide.js': '(none)', 'package/dist/tide.d.ts': '(none)' };
  const inside = Object.fromEntries(Object.entries(files).map(([path, text]) => [`package/${path}`, text]));
  return npmArtifact({ type: undefined, exports, ...json }, { ...none, ...inside });
}

/** The same files in nearly the same package: the first breaks the rule, the second does not. */
const pairs: readonly (readonly [BreakingCase[0], ReturnType<typeof both>, RegExp, ReturnType<typeof both>])[] = [
  [
    'node/types-module-system',
    both({ types: './i.d.ts', require: './i.cjs' }, { 'i.d.ts': types, 'i.cjs': cjs }, { type: 'module' }),
    /for require of \. it describes an ES module, and i\.cjs is CommonJS/,
    both({ types: './i.d.cts', require: './i.cjs' }, { 'i.d.cts': types, 'i.cjs': cjs }, { type: 'module' }),
  ],
  [
    'node/types-module-system',
    both({ types: './i.d.ts', import: './i.mjs' }, { 'i.d.ts': typesWithDefault, 'i.mjs': esm }),
    /for import of \. it describes CommonJS, and i\.mjs is an ES module/,
    both({ types: './i.d.mts', import: './i.mjs' }, { 'i.d.mts': typesWithDefault, 'i.mjs': esm }),
  ],
  [
    'node/types-module-system',
    both(
      { './a': { import: { types: './a.d.ts', default: './a.mjs' }, require: './a.js' } },
      { 'a.d.ts': `export * from './b';\n`, 'b.d.ts': types, 'a.mjs': esm, 'a.js': cjs },
    ),
    /for import of \.\/a/,
    both(
      { './a': { import: { types: './a.d.mts', default: './a.mjs' }, require: './a.js' } },
      { 'a.d.mts': `export * from './b.mjs';\n`, 'b.d.mts': types, 'a.d.ts': types, 'a.mjs': esm, 'a.js': cjs },
    ),
  ],
  [
    'node/types-default',
    both(
      { types: './i.d.ts', default: './i.js' },
      { 'i.d.ts': 'export default function tide(): void;\n', 'i.js': one },
    ),
    /declares a default export, and i\.js exports that value itself/,
    both(
      { types: './i.d.ts', default: './i.js' },
      { 'i.d.ts': 'declare function tide(): void;\nexport = tide;\n', 'i.js': one },
    ),
  ],
  [
    'node/types-default',
    both(
      undefined,
      { 'i.d.ts': 'export default class Tide {}\n', 'i.js': 'class Tide {}\nmodule.exports = Tide;\n' },
      { main: 'i.js' },
    ),
    /exports that value itself/,
    both(
      undefined,
      {
        'i.d.ts': 'export default class Tide {}\n',
        'i.js': 'class Tide {}\nmodule.exports = Tide;\nmodule.exports.default = Tide;\n',
      },
      { main: 'i.js' },
    ),
  ],
  [
    'node/types-extension',
    npmArtifact({}, { 'package/dist/tide.d.ts': "export * from './table';\n", 'package/dist/table.d.ts': types }),
    /line 1 imports "\.\/table" without an ending/,
    npmArtifact({}, { 'package/dist/tide.d.ts': "export * from './table.js';\n", 'package/dist/table.d.ts': types }),
  ],
  [
    'node/types-extension',
    npmArtifact({}, { 'package/dist/tide.d.ts': "export * from './table';\n", 'package/dist/table/index.d.ts': types }),
    /without an ending/,
    both(
      { types: './i.d.cts', default: './i.cjs' },
      { 'i.d.cts': "export * from './table';\n", 'table.d.cts': types, 'i.cjs': cjs },
      { type: 'module' },
    ),
  ],
  [
    'node/typescript-entry',
    both('./src/tide.ts', { 'src/tide.ts': 'export const a: number = 1;\n' }),
    /the entry \. leads to this TypeScript source/,
    both(
      { '@fenmarsh/source': './src/tide.ts', default: './tide.mjs' },
      { 'src/tide.ts': 'export {};\n', 'tide.mjs': esm },
    ),
  ],
  [
    'node/typescript-entry',
    both(undefined, { 'index.ts': 'export {};\n' }, { main: './index.ts' }),
    /TypeScript source/,
    both(undefined, { 'index.ts': 'export {};\n', 'index.js': cjs }, { main: './index.js' }),
  ],
  [
    'node/module-globals',
    npmArtifact({}, { 'package/dist/tide.js': 'export const place = __dirname;\n' }),
    /line 1 uses __dirname, which ES modules do not have/,
    npmArtifact(
      {},
      { 'package/dist/tide.js': 'const __dirname = import.meta.dirname;\nexport const place = __dirname;\n' },
    ),
  ],
  [
    'node/module-globals',
    npmArtifact(
      {},
      { 'package/dist/tide.js': "export const heights = require('./t.json');\n", 'package/dist/t.json': '[]' },
    ),
    /uses require/,
    npmArtifact(
      {},
      {
        'package/dist/tide.js':
          "import { createRequire } from 'node:module';\nconst require = createRequire(import.meta.url);\nexport const heights = require('./t.json');\n",
        'package/dist/t.json': '[]',
      },
    ),
  ],
  [
    'node/module-globals',
    npmArtifact({}, { 'package/dist/tide.js': 'export function heights() {\n  return __filename;\n}\n' }),
    /line 2 uses __filename/,
    npmArtifact(
      {},
      {
        'package/dist/tide.js':
          "export const heights = typeof __filename === 'string' ? __filename : { __filename: 1 };\n",
      },
    ),
  ],
  [
    'node/module-field',
    both(undefined, { 'i.js': cjs, 'i.d.ts': types }, { main: 'i.js', module: './i.js' }),
    /`module` names it, and it is written as CommonJS/,
    both(undefined, { 'i.js': cjs, 'i.mjs': esm, 'i.d.ts': types }, { main: 'i.js', module: './i.mjs' }),
  ],
  [
    'node/bundled-modules',
    npmArtifact(
      {},
      { 'package/node_modules/harmonics/index.js': 'x', 'package/node_modules/harmonics/package.json': '{}' },
    ),
    /and 1 more files come from node_modules/,
    npmArtifact(
      { dependencies: { harmonics: '1' }, bundleDependencies: ['harmonics'] },
      { 'package/node_modules/harmonics/index.js': 'x' },
    ),
  ],
  [
    'node/imported-file-absent',
    npmArtifact({}, { 'package/dist/tide.js': "export const at = new URL('./tides.json', import.meta.url);\n" }),
    /line 1 reads "\.\/tides\.json" beside it, which is not inside/,
    npmArtifact(
      {},
      {
        'package/dist/tide.js': "export const at = new URL('./tides.json', import.meta.url);\n",
        'package/dist/tides.json': '[]',
      },
    ),
  ],
  [
    'node/entry-point-missing',
    npmArtifact({ exports: { development: './src/tide.js', default: './dist/tide.js' } }),
    /exports > development/,
    npmArtifact({}),
  ],
  [
    'node/entry-point-unusable',
    npmArtifact({ exports: { browser: 'dist/tide.js', default: './dist/tide.js' } }),
    /does not begin/,
    npmArtifact({ exports: { browser: './dist/tide.js', default: './dist/tide.js' } }),
  ],
  [
    'node/types-missing',
    both({ import: './i.mjs', default: './i.js' }, { 'i.mjs': esm, 'i.js': cjs, 'other.d.ts': types }),
    /has no type declarations/,
    // The compiler goes on to the next condition when there is nothing beside the first file.
    both({ import: './i.mjs', default: './i.js' }, { 'i.mjs': esm, 'i.js': cjs, 'i.d.ts': types }),
  ],
  [
    'node/types-missing',
    both(undefined, { 'lib/i.js': cjs, 'x.d.ts': types }, { main: 'lib/i', types: 'types/none' }),
    /has no type declarations/,
    both(undefined, { 'lib/i.js': cjs, 'types/index.d.ts': types }, { main: 'lib/i', types: 'types' }),
  ],
  [
    'contents/source-map',
    npmArtifact(
      {},
      { 'package/dist/tide.js.map': { text: `{"version":3,"sources":[],"mappings":""}`, sizeBytes: 5_000_000 } },
    ),
    /source maps take 5\.0 MB|source maps take/,
    npmArtifact(
      {},
      {
        'package/dist/tide.js.map': { text: `{"version":3,"sources":[],"mappings":""}`, sizeBytes: 5_000_000 },
        'package/dist/more.js': { text: 'export {};', sizeBytes: 3_000_000 },
      },
    ),
  ],
];

/** npm tarballs that break a rule about module systems, types or what is read beside the code. */
export const breaking: readonly BreakingCase[] = pairs.map(([rule, artifact, message]) => [rule, artifact, message]);

/** Nearly the same ones that break none. */
export const nearlyBreaking: readonly NearlyCase[] = pairs.map(([rule, , , artifact]) => [rule, artifact]);
