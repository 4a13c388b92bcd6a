import { expect, it } from 'vitest';
import { readScript } from '../../../src/core/facts/script.ts';
import { findBrowserChains, type ReadablePackage } from '../../../src/core/surface/browser-reach.ts';
import { consumerOf, resolveUse } from '../../../src/core/surface/node-package.ts';

type Tree = Readonly<Record<string, { readonly json?: object; readonly files: Readonly<Record<string, string>> }>>;

/** Packages that find each other by name, from texts. */
function packageOf(name: string, tree: Tree): ReadablePackage {
  const { json = {}, files } = tree[name] ?? { files: {} };
  return {
    manifest: { name, version: '1.0.0', ...json },
    name,
    paths: Object.keys(files),
    has: (path) => path in files,
    nested: () => null,
    read: async (path) => (files[path] === undefined ? null : readScript(files[path])),
    find: async (other) => (other in tree ? packageOf(other, tree) : null),
  };
}

const reach = async (tree: Tree) => {
  const { chains, unread } = await findBrowserChains(packageOf('tidemark', tree));
  return {
    chains: chains.map(({ entry, steps, isLate }) => `${entry}: ${steps.join(' > ')}${isLate ? ' (late)' : ''}`),
    unread: unread.map(({ name }) => name),
  };
};

const top = (text: string, json: object = { exports: { '.': { browser: './b.js', default: './n.js' } } }) => ({
  json,
  files: { 'b.js': text, 'n.js': "import 'node:fs';" },
});

it('tells the whole chain through two dependencies, each by its own browser conditions', async () => {
  expect(
    await reach({
      tidemark: top("import { open } from 'tide-store';"),
      'tide-store': {
        json: { exports: { browser: './web.js', default: './node.js' } },
        files: {
          'web.js': "export * from './inner.js';",
          'inner.js': "import 'tide-cache/disk';",
          'node.js': "import 'net';",
        },
      },
      'tide-cache': {
        json: { exports: { './disk': './disk.js' } },
        files: { 'disk.js': "import { readFile } from 'node:fs/promises';" },
      },
    }),
  ).toEqual({
    chains: ['.: b.js > tide-store/web.js > tide-store/inner.js > tide-cache/disk.js > node:fs/promises'],
    unread: [],
  });
});

it.each<[string, Tree]>([
  ['an entry for servers only', { tidemark: { json: { exports: './n.js' }, files: { 'n.js': "import 'fs';" } } }],
  ['a server file beside the browser one', { tidemark: top('export {};') }],
  [
    'a browser field that takes the module out',
    { tidemark: top("require('fs');", { browser: { './n.js': './b.js', fs: false }, main: './n.js' }) },
  ],
  [
    'a declared package called like a module of Node.js',
    {
      tidemark: top("require('events');", { browser: './b.js', dependencies: { events: '3' } }),
      events: { json: { main: 'e.js' }, files: { 'e.js': '' } },
    },
  ],
  ['what is only tried', { tidemark: top("try { require('fs') } catch {}", { browser: './b.js' }) }],
  [
    'a dependency with a browser file of its own',
    {
      tidemark: top("import 'tide-store';"),
      'tide-store': {
        json: { main: 'n.js', browser: { './n.js': './w.js' } },
        files: { 'n.js': "require('fs')", 'w.js': '' },
      },
    },
  ],
])('%s reaches nothing', async (_, tree) => {
  expect(await reach(tree)).toEqual({ chains: [], unread: [] });
});

it('marks lazy imports, and names what could not be examined', async () => {
  const tree: Tree = { tidemark: top("import 'elsewhere';\nexport const f = () => import('node:crypto');") };

  expect(await reach(tree)).toEqual({ chains: ['.: b.js > node:crypto (late)'], unread: ['elsewhere'] });
});

it('ends where files import each other', async () => {
  expect(
    await reach({
      tidemark: {
        json: { browser: 'a.js' },
        files: { 'a.js': "import './b.js';", 'b.js': "import './a.js';\nimport 'os';" },
      },
    }),
  ).toEqual({ chains: ['.: a.js > b.js > os'], unread: [] });
});

const own = packageOf('tidemark', {
  tidemark: {
    json: { exports: { '.': './i.js', './x/*': './lib/*.js' }, imports: { '#t': './lib/t.js', '#e': 'store/deep' } },
    files: { 'i.js': '', 'lib/t.js': '', 'lib/index.js': '' },
  },
});

it.each([
  ['./lib/t.js', 'module', { type: 'file', path: 'lib/t.js' }],
  ['./lib/t', 'commonjs', { type: 'file', path: 'lib/t.js' }],
  ['./lib', 'commonjs', { type: 'file', path: 'lib/index.js' }],
  ['#t', 'module', { type: 'file', path: 'lib/t.js' }],
  ['#e', 'module', { type: 'external', name: 'store', entry: './deep' }],
  ['tidemark/x/t', 'module', { type: 'file', path: 'lib/t.js' }],
  ['@tide/store/deep/a.js', 'module', { type: 'external', name: '@tide/store', entry: './deep/a.js' }],
  ['node:fs', 'module', { type: 'built-in', name: 'node:fs' }],
  ['https://x.example/a.js', 'module', { type: 'nothing' }],
] as const)('%s from a %s file leads to %j', (specifier, as, target) => {
  expect(
    resolveUse({ specifier, importer: 'i.js', pkg: own, loading: { consumer: consumerOf('server import'), as } }),
  ).toEqual(target);
});
