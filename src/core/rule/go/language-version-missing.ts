import type { Rule } from '../rule.ts';
import { moduleOf } from './module.ts';

export const languageVersionMissing: Rule = {
  id: 'go/language-version-missing',
  forms: ['go-module'],
  severity: 'warn',
  what: 'go.mod says which version of the language a module is written in',
  why: 'Without it the go command takes 1.16: newer syntax does not compile, and the module graph is not pruned',
  fix: 'Add a line such as `go 1.21`',
  example: 'go.mod with a `module` line alone',
  check: (artifact) => {
    const { go, module, manifestPath: path } = moduleOf(artifact);
    return module === null || go !== null ? [] : [{ path, message: 'there is no `go` line' }];
  },
};
