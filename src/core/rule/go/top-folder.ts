import type { RawFinding, Rule } from '../rule.ts';
import { moduleOf } from './module.ts';

export const moduleTopFolder: Rule = {
  id: 'go/top-folder',
  forms: ['go-module'],
  severity: 'refuse',
  what: 'Everything in the zip of a module lies below its path and version, and go.mod says the same path',
  why: 'The go command refuses any other zip',
  fix: 'Build it with `form: go-module`; correct the `module` line of go.mod',
  example: 'module code.example/harmonics in code.example/tides@v1.4.0/go.mod',
  check: (artifact) => {
    const { prefix, entries } = artifact;
    const { path, module, manifestPath } = moduleOf(artifact);
    const outside = entries.find((entry) => !entry.path.startsWith(prefix));
    const findings: RawFinding[] =
      outside === undefined ? [] : [{ path: outside.path, message: `it is not below ${prefix}` }];
    if (module === null) return [...findings, { path: manifestPath, message: 'there is no `module` line' }];
    if (path === null || module === path) return findings;
    return [...findings, { path: manifestPath, message: `it says module ${module}, and the zip is that of ${path}` }];
  },
};
