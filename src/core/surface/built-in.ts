/** Modules that Node.js brings along, without the prefix (Node.js 20, "Modules: node:module API", builtinModules). */
const builtIn: ReadonlySet<string> = new Set([
  'assert',
  'assert/strict',
  'async_hooks',
  'buffer',
  'child_process',
  'cluster',
  'console',
  'constants',
  'crypto',
  'dgram',
  'diagnostics_channel',
  'dns',
  'dns/promises',
  'domain',
  'events',
  'fs',
  'fs/promises',
  'http',
  'http2',
  'https',
  'inspector',
  'inspector/promises',
  'module',
  'net',
  'os',
  'path',
  'path/posix',
  'path/win32',
  'perf_hooks',
  'process',
  'punycode',
  'querystring',
  'readline',
  'readline/promises',
  'repl',
  'stream',
  'stream/consumers',
  'stream/promises',
  'stream/web',
  'string_decoder',
  'sys',
  'timers',
  'timers/promises',
  'tls',
  'trace_events',
  'tty',
  'url',
  'util',
  'util/types',
  'v8',
  'vm',
  'wasi',
  'worker_threads',
  'zlib',
]);

/** Those that exist only with the prefix `node:`. */
const prefixed: ReadonlySet<string> = new Set(['sea', 'sqlite', 'test', 'test/reporters']);

/** Whether a specifier names a module of Node.js itself. */
export function isBuiltIn(specifier: string): boolean {
  if (!specifier.startsWith('node:')) return builtIn.has(specifier);
  const name = specifier.slice(5);
  return builtIn.has(name) || prefixed.has(name);
}
