import { npmArtifact } from '../../../builders/artifact.ts';
import type { BreakingCase, NearlyCase } from './case.ts';

const commonJs = { type: undefined, main: './dist/tide.js', exports: undefined };

const fsChain = { entry: '.', steps: ['dist/tide.js', 'node:fs'], builtIn: 'node:fs', isLate: false };

/** npm tarballs that break a rule about entry points, imports or types. */
export const breaking: readonly BreakingCase[] = [
  ['node/entry-point-missing', npmArtifact({ exports: undefined, main: 'lib/index' }), /`main` names it/],
  [
    'node/entry-point-missing',
    npmArtifact({ exports: { '.': { browser: './dist/b.js', default: './dist/tide.js' } } }),
    /exports > \. > browser/,
  ],
  ['node/entry-point-missing', npmArtifact({ bin: { tide: 'cli.js' } }), /bin > tide/],
  [
    'node/entry-point-missing',
    npmArtifact({ exports: { '.': './dist/tide.js', './*': './src/*.js' } }),
    /nothing inside is called so/,
  ],
  ['node/entry-point-missing', npmArtifact({ imports: { '#table': './dist/table.js' } }), /imports > #table/],
  ['node/entry-point-unusable', npmArtifact({ exports: { '.': 'dist/tide.js' } }), /does not begin with \.\//],
  [
    'node/entry-point-unusable',
    npmArtifact({ exports: { '.': './dist/tide.js', import: './dist/tide.js' } }),
    /mixes paths with conditions/,
  ],
  ['node/entry-point-unusable', npmArtifact({ main: '/dist/tide.js', exports: undefined }), /absolute path/],
  ['node/entry-point-unusable', npmArtifact({ imports: { table: './dist/tide.js' } }), /does not begin with #/],
  [
    'node/condition-order',
    npmArtifact({ exports: { default: './dist/tide.js', browser: './dist/tide.js' } }),
    /"browser" after "default"/,
  ],
  [
    'node/condition-order',
    npmArtifact({ exports: { import: './dist/tide.js', types: './dist/tide.d.ts' } }),
    /"types" after "import"/,
  ],
  [
    'node/module-syntax',
    npmArtifact({}, { 'package/dist/tide.js': 'module.exports = { heights: [] };\n' }),
    /loaded as an ES module.*CommonJS/,
  ],
  [
    'node/module-syntax',
    npmArtifact({ exports: './dist/a.cjs' }, { 'package/dist/a.cjs': 'export const a = 1;\n' }),
    /ends with \.cjs/,
  ],
  ['node/module-syntax', npmArtifact(commonJs), /before 20\.19/],
  [
    'node/module-syntax',
    npmArtifact({}, { 'package/dist/tide.js': "import './b.js';\n", 'package/dist/b.js': "const a = require('a');\n" }),
    /loaded as an ES module/,
  ],
  ['node/module-syntax', npmArtifact({}, { 'package/dist/tide.js': 'export const a = ;\n' }), /cannot be parsed/],
  [
    'node/types-missing',
    npmArtifact({ exports: { '.': './dist/tide.js', './b': './dist/b.js' } }, { 'package/dist/b.js': 'export {};' }),
    /entry \.\/b has no type/,
  ],
  ['node/types-missing', npmArtifact({}, { 'package/dist/tide.d.ts': '(none)' }), /contains no type declarations/],
  [
    'node/types-disagree',
    npmArtifact(
      {},
      {
        'package/dist/tide.d.ts': 'export declare function low(): number;\nexport declare const heights: number[];\n',
      },
    ),
    /declares low, which/,
  ],
  [
    'node/types-disagree',
    npmArtifact(
      {},
      {
        'package/dist/tide.js': "export * from './b.js';",
        'package/dist/b.js': 'export const heights = [], extra = 1;',
      },
    ),
    /does not declare extra/,
  ],
  [
    'node/imported-file-absent',
    npmArtifact({}, { 'package/dist/tide.js': "import './gone.js';\n" }),
    /"\.\/gone\.js": it is not inside/,
  ],
  [
    'node/imported-file-absent',
    npmArtifact({}, { 'package/dist/tide.js': "import './b';\n", 'package/dist/b.js': '' }),
    /does not complete it to dist\/b\.js/,
  ],
  [
    'node/imported-file-absent',
    npmArtifact({}, { 'package/dist/tide.js': "import '#table';\n" }),
    /`imports` does not name it/,
  ],
  [
    'node/undeclared-import',
    npmArtifact(
      { devDependencies: { harmonics: '1' } },
      { 'package/dist/tide.js': "import { a } from 'harmonics/table';\n" },
    ),
    /line 1 imports harmonics/,
  ],
  [
    'node/undeclared-import',
    npmArtifact(commonJs, { 'package/dist/tide.js': "const h = require('harmonics');\n" }),
    /imports harmonics/,
  ],
  [
    'node/undeclared-import',
    npmArtifact({}, { 'package/dist/tide.d.ts': "import { A } from 'harmonics';\nexport declare const heights: A;\n" }),
    /imports types from harmonics/,
  ],
  ['node/private', npmArtifact({ private: true }), /`private` is true/],
  ['node/install-script', npmArtifact({ scripts: { postinstall: 'node x.js' } }), /scripts\.postinstall.*node x\.js/],
  ['node/install-script', npmArtifact({}, { 'package/binding.gyp': '{}' }), /compiled/],
  [
    'node/dependency-elsewhere',
    npmArtifact({ dependencies: { gauges: 'file:../gauges' } }),
    /path of the build machine/,
  ],
  ['node/dependency-elsewhere', npmArtifact({ dependencies: { gauges: 'workspace:^' } }), /inside the workspace/],
  [
    'node/dependency-elsewhere',
    npmArtifact({ dependencies: { gauges: 'git+ssh://git.fenmarsh.example/gauges.git' } }),
    /a repository/,
  ],
  ['node/dependency-elsewhere', npmArtifact({ dependencies: { gauges: 'harbour/gauges#main' } }), /a repository/],
  ['node/program-unusable', npmArtifact({ bin: './dist/tide.js' }), /does not begin with #!/],
  [
    'node/program-unusable',
    npmArtifact({ bin: './dist/c.js' }, { 'package/dist/c.js': '#!/usr/bin/env node\r\n1;\r\n' }),
    /carriage return/,
  ],
  [
    'node/browser-built-in',
    npmArtifact(),
    /the browser entry \. reaches node:fs: dist\/tide\.js > node:fs/,
    { browser: { chains: [fsChain], unread: [] } },
  ],
];

/** npm tarballs that nearly break one. */
export const nearlyBreaking: readonly NearlyCase[] = [
  ['node/entry-point-missing', npmArtifact({ exports: undefined, main: './dist' }, { 'package/dist/index.js': '' })],
  [
    'node/entry-point-missing',
    npmArtifact({ browser: { fs: false, './dist/tide.js': './dist/tide.js', path: 'path-browserify' } }),
  ],
  [
    'node/entry-point-missing',
    npmArtifact({ exports: { './*': './dist/*.js', './package.json': './package.json', './inner/*': null } }),
  ],
  [
    'node/condition-order',
    npmArtifact({ exports: { types: './dist/tide.d.ts', browser: './dist/tide.js', default: './dist/tide.js' } }),
  ],
  [
    'node/condition-order',
    npmArtifact({ exports: { import: { types: './dist/tide.d.ts', default: './dist/tide.js' } } }),
  ],
  [
    'node/module-syntax',
    npmArtifact(
      {},
      {
        'package/dist/tide.js':
          "import { createRequire } from 'node:module';\nconst require = createRequire(import.meta.url);\nexport const heights = require('./a.json');\n",
        'package/dist/a.json': '[]',
      },
    ),
  ],
  [
    'node/module-syntax',
    npmArtifact(
      { exports: './dist/cjs/a.js' },
      { 'package/dist/cjs/package.json': '{"type":"commonjs"}', 'package/dist/cjs/a.js': 'module.exports = 1;' },
    ),
  ],
  ['node/module-syntax', npmArtifact({}, { 'package/src/unreached.js': 'module.exports = 1;' })],
  ['node/types-missing', npmArtifact({ exports: { '.': './dist/tide.js', './package.json': './package.json' } })],
  ['node/entry-point-unusable', npmArtifact({ exports: { '.': './dist/tide.js', './table': './dist/tide.js' } })],
  [
    'node/entry-point-unusable',
    npmArtifact({ exports: ['./dist/tide.js'], imports: { '#store': 'store' }, main: 'dist/tide.js' }),
  ],
  [
    'node/types-disagree',
    npmArtifact(
      {},
      {
        'package/dist/tide.d.ts':
          "export * from './h.js';\nexport interface Tide {}\nexport type { Low } from './h.js';\n",
        'package/dist/h.d.ts': 'export declare const heights: number[];\nexport type Low = 1;\n',
      },
    ),
  ],
  [
    'node/types-disagree',
    npmArtifact(commonJs, {
      'package/dist/tide.js': 'exports.heights = [];\nObject.defineProperty(exports, "__esModule", { value: true });\n',
    }),
  ],
  [
    'node/types-disagree',
    npmArtifact(commonJs, {
      'package/dist/tide.js': "var __exportStar = () => {};\n__exportStar(require('./h'), exports);\n",
      'package/dist/h.js': 'module.exports = { heights: [] };',
    }),
  ],
  [
    'node/imported-file-absent',
    npmArtifact(commonJs, {
      'package/dist/tide.js': "require('./b');\nrequire('./c');\ntry { require('./gone') } catch {}\n",
      'package/dist/b.js': '',
      'package/dist/c/index.js': '',
    }),
  ],
  [
    'node/imported-file-absent',
    npmArtifact(
      { imports: { '#b': './dist/b.js' } },
      { 'package/dist/tide.js': "import '#b';\nimport 'tidemark';\n", 'package/dist/b.js': '' },
    ),
  ],
  [
    'node/undeclared-import',
    npmArtifact(
      { peerDependencies: { harmonics: '1' } },
      {
        'package/dist/tide.js':
          "import 'harmonics';\nimport fs from 'fs/promises';\nimport 'node:path';\nimport 'tidemark';\n",
      },
    ),
  ],
  [
    'node/undeclared-import',
    npmArtifact(
      {},
      {
        'package/dist/tide.js': "try { require('harmonics') } catch {}\nexport const heights = [];\n",
        'package/src/dev.js': "import 'harmonics';",
      },
    ),
  ],
  [
    'node/undeclared-import',
    npmArtifact(
      { dependencies: { '@types/harmonics': '1' } },
      { 'package/dist/tide.d.ts': "import type { A } from 'harmonics';\nexport declare const heights: A;\n" },
    ),
  ],
  ['node/private', npmArtifact({ private: false, publishConfig: { access: 'public' } })],
  ['node/install-script', npmArtifact({ scripts: { prepare: 'x', test: 'y', prepublishOnly: 'z' } })],
  [
    'node/dependency-elsewhere',
    npmArtifact({
      dependencies: { a: '^1', b: 'latest', c: 'npm:d@^2', e: '>=1 <2' },
      devDependencies: { f: 'file:../f' },
    }),
  ],
  [
    'node/program-unusable',
    npmArtifact({ bin: { tide: './dist/c.js' } }, { 'package/dist/c.js': '#!/usr/bin/env node\nexport {};\n' }),
  ],
  ['node/browser-built-in', npmArtifact(), { browser: { chains: [], unread: [] } }],
];
