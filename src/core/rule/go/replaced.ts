import { isLocalReplace } from '../../manifest/go-mod.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { moduleOf } from './module.ts';

export const replaced: Rule = {
  id: 'go/replaced',
  forms: ['go-module'],
  severity: 'refuse',
  what: 'A module that is released replaces no module by a folder',
  why: 'Replacements are read in the main module only: its users get what is required, or nothing where no such version exists',
  fix: 'Release the other module first and require its version; keep replacements in go.work',
  example: 'replace code.example/harmonics => ../harmonics',
  check: (artifact) => {
    const { replaces, manifestPath: path } = moduleOf(artifact);
    return replaces.map(
      (replace): RawFinding =>
        isLocalReplace(replace)
          ? { path, message: `it replaces ${replace.path} by the folder ${replace.by}` }
          : {
              path,
              message: `it replaces ${replace.path} by ${replace.by}: its users get ${replace.path}`,
              severity: 'warn',
            },
    );
  },
};
