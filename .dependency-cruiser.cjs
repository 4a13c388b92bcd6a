/** The layers of docs/architecture.md: imports point downward only, and never in a circle, neither of files nor of folders. */
const layer = (name, from, to) => ({ name, severity: 'error', from: { path: from }, to: { path: to } });

/** What reaches the machine: files, processes, threads, timers, the network. */
const machine =
  '^(node:)?(fs|fs/promises|child_process|worker_threads|os|timers|timers/promises|net|http|https|dns|process|readline|cluster)$';

module.exports = {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'no-folder-circles',
      comment: 'each folder of core and of flow can be understood with those it imports',
      scope: 'folder',
      severity: 'error',
      from: { path: '^src/(core|flow)/[^/]+$' },
      to: { circular: true },
    },
    {
      name: 'no-orphans',
      severity: 'error',
      from: { orphan: true, path: '^src', pathNot: '^src/cli/main\\.ts$' },
      to: {},
    },
    layer('core-imports-only-core', '^src/core', '^src/(world|store|destination|standin|flow|cli)'),
    {
      name: 'core-is-pure',
      comment: 'core may compute digests and join paths, nothing that reads the machine',
      severity: 'error',
      from: { path: '^src/core' },
      to: { dependencyTypes: ['core'], pathNot: '^(node:)?(crypto|path/posix|buffer)$' },
    },
    {
      name: 'core-imports-pure-libraries',
      severity: 'error',
      from: { path: '^src/core' },
      to: {
        path: 'node_modules',
        pathNot:
          'node_modules/(@types/)?(joi|yaml|semver|picomatch|spdx-expression-parse|ignore|mustache|smol-toml|fast-xml-parser|acorn|typescript|web-tree-sitter|spdx-license-ids|markdown-it|sanitize-html|htmlparser2|re2js|packageurl-js|mime)(/|$)',
      },
    },
    layer('world-imports-core-and-world', '^src/world', '^src/(store|destination|standin|flow|cli)'),
    layer('store-imports-world-and-core', '^src/store', '^src/(destination|standin|flow|cli)'),
    layer('destination-imports-store-and-below', '^src/destination', '^src/(standin|flow|cli)'),
    layer('standin-imports-world-and-core', '^src/standin', '^src/(store|destination|flow|cli)'),
    layer('flow-knows-no-terminal', '^src/flow', '^src/cli'),
    layer('nothing-imports-main', '^src', '^src/cli/main\\.ts$'),
    {
      name: 'only-world-touches-the-machine',
      severity: 'error',
      from: {
        path: '^src/(flow|store|destination|standin|cli)',
        pathNot: '^src/(standin/store|cli/main)\\.ts$',
      },
      to: { path: machine },
    },
    {
      name: 'only-world-runs-programs',
      severity: 'error',
      from: { path: '^src/(flow|store|destination|standin|cli)' },
      to: { path: 'node_modules/(execa|undici)/' },
    },
    { name: 'nothing-unresolvable', severity: 'error', from: {}, to: { couldNotResolve: true } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'require', 'node', 'default', 'types'],
    },
  },
};
