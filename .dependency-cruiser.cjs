/** The floors of docs/architecture.md: imports point downward only, and never in a circle. */
const floor = (name, from, to) => ({ name, severity: 'error', from: { path: from }, to: { path: to } });
module.exports = {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'no-orphans',
      severity: 'error',
      from: { orphan: true, path: '^src', pathNot: '^src/cli/main\\.ts$' },
      to: {},
    },
    floor('core-imports-only-core', '^src/core', '^src/(world|destination|standin|flow|cli)'),
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
          'node_modules/(@types/)?(joi|yaml|semver|picomatch|spdx-expression-parse|ignore|mustache|smol-toml|fast-xml-parser|acorn|typescript|spdx-license-ids|markdown-it|sanitize-html|htmlparser2|re2js|packageurl-js)(/|$)',
      },
    },
    floor('world-imports-core-and-world', '^src/world', '^src/(destination|standin|flow|cli)'),
    floor('destination-imports-world-and-core', '^src/destination', '^src/(standin|flow|cli)'),
    floor('standin-imports-world-and-core', '^src/standin', '^src/(destination|flow|cli)'),
    floor('flow-knows-no-terminal', '^src/flow', '^src/cli'),
    floor('nothing-imports-main', '^src', '^src/cli/main\\.ts$'),
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
