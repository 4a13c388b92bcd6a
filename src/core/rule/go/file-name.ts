import { filesIn, insidePath } from '../../form/artifact.ts';
import { foldedTwins, whyWrongFilePath } from '../../form/go-module/module-files.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const moduleFileName: Rule = {
  id: 'go/file-name',
  forms: ['go-module'],
  severity: 'refuse',
  what: 'Names of files in a module are such that every system can unpack them',
  why: 'The go command refuses the whole module on every system, not only where the name is a problem',
  fix: 'Rename the file',
  example: 'Tables.go beside tables.go; aux.go',
  check: (artifact) => {
    const files = filesIn(artifact).map(({ path }) => ({ path, inside: insidePath(path, artifact.prefix) }));
    const wrong = files.flatMap(({ path, inside }): RawFinding[] => {
      const why = whyWrongFilePath(inside);
      return why === null ? [] : [{ path, message: why }];
    });
    const twins = foldedTwins(files.map(({ inside }) => inside));
    if (twins === null) return wrong;
    return [
      ...wrong,
      { path: `${artifact.prefix}${twins[1]}`, message: `it differs from ${twins[0]} in capital letters only` },
    ];
  },
};
