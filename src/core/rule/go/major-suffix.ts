import { whyWrongPath } from '../../manifest/module-path.ts';
import type { Rule } from '../rule.ts';
import { moduleOf } from './module.ts';

export const majorSuffix: Rule = {
  id: 'go/major-suffix',
  forms: ['go-module'],
  severity: 'refuse',
  what: 'The path of a module is valid, and ends with its major version from 2 on',
  why: 'The go command takes no version whose number does not fit the path',
  fix: 'Change the `module` line and the imports of it, in a commit of their own',
  example: 'module code.example/tides at v2.0.0, without /v2',
  check: (artifact) => {
    const { module, path, version, manifestPath } = moduleOf(artifact);
    const name = module ?? path;
    if (name === null || version === null) return [];
    const why = whyWrongPath(name, version);
    return why === null ? [] : [{ path: manifestPath, message: `${name}: ${why}` }];
  },
};
