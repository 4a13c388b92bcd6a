import { isInRetracted } from '../../manifest/go-mod.ts';
import type { Rule } from '../rule.ts';
import { moduleOf } from './module.ts';

export const retractsItself: Rule = {
  id: 'go/retracts-itself',
  forms: ['go-module'],
  severity: 'warn',
  what: 'A release does not retract itself',
  why: 'The go command hides a version that its own go.mod retracts, so users never get it as an upgrade',
  fix: 'Correct the `retract` line, unless the release is made only to retract itself with others',
  example: 'retract [v1.0.0, v1.4.0] in the go.mod of v1.4.0',
  check: (artifact) => {
    const { retracts, version, manifestPath: path } = moduleOf(artifact);
    if (version === null || !retracts.some((range) => isInRetracted(range, version))) return [];
    return [{ path, message: `it retracts ${version}, which is its own version` }];
  },
};
