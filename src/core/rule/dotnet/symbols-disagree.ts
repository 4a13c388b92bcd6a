import { filesIn } from '../../form/artifact.ts';
import { formDefinitions } from '../../form/definitions.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const symbolsDisagree: Rule = {
  id: 'dotnet/symbols-disagree',
  forms: ['nupkg', 'snupkg'],
  severity: 'refuse',
  what: 'A symbols package contains only symbols, and the main package contains none',
  why: 'A symbol server rejects anything else, and debug files in lib are downloaded by every user',
  fix: 'Put the .pdb files into the snupkg artifact, and leave them out of the nupkg',
  example: 'lib/net8.0/Fenmarsh.Tides.pdb inside the .nupkg',
  check: (artifact) => {
    if (formDefinitions[artifact.form].role === 'symbols') {
      const allowed = /\.pdb$|\.nuspec$|\.psmdcp$|^_rels\/|^\[Content_Types\]\.xml$|^\.signature\.p7s$|\.xml$/;
      const files = filesIn(artifact);
      const odd = files
        .filter(({ path }) => !allowed.test(path))
        .map(({ path }): RawFinding => ({ path, message: 'it is not a symbol file' }));
      return files.some(({ path }) => path.endsWith('.pdb'))
        ? odd
        : [...odd, { path: null, message: 'it contains no symbol file' }];
    }
    const paths = new Set(filesIn(artifact).map(({ path }) => path));
    return [...paths]
      .filter((path) => path.endsWith('.pdb'))
      .map((path): RawFinding => {
        const isAlone = !paths.has(path.replace(/\.pdb$/, '.dll')) && !paths.has(path.replace(/\.pdb$/, '.exe'));
        return {
          path,
          message: isAlone
            ? 'the library it belongs to is not inside'
            : 'it is a symbol file, which goes into a package of its own',
          severity: 'warn',
        };
      });
  },
};
