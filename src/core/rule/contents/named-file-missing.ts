import { joinPath, parentOf } from '../../contents/inner-path.ts';
import { insidePaths, pathsIn } from '../../form/artifact.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { globMatcher } from '../../text/glob.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const namedFileMissing: Rule = {
  id: 'contents/named-file-missing',
  forms: allForms,
  severity: 'warn',
  needsWhole: true,
  what: 'Files listed in the manifest, and source maps referenced in code, exist',
  why: 'An entry without files usually means that a build did not run; a missing map makes debuggers print errors',
  fix: 'Create the file in the build, or remove the reference',
  example: '"files": ["dist", "types"] and no types; //# sourceMappingURL=tide.js.map and no such file',
  check: (artifact) => {
    const { form, manifest, facts } = artifact;
    const maps = facts.marks.flatMap(({ kind, path, what, line }): RawFinding[] => {
      if (kind !== 'map' || /^(?:data|https?|blob):/.test(what) || !/\.(?:[cm]?js|css)$/.test(path)) return [];
      const target = joinPath(parentOf(path), decode(what));
      return pathsIn(artifact).has(target)
        ? []
        : [{ path, message: `line ${line} refers to the map ${what}, which does not exist` }];
    });
    const files = manifest === null ? null : formDefinitions[form].listedFiles(manifest.json);
    if (files === null) return maps;
    const paths = insidePaths(artifact);
    const lists = files.flatMap((file): RawFinding[] => {
      if (typeof file !== 'string' || file.startsWith('!')) return [];
      const pattern = file.replace(/^\.?\//, '').replace(/\/(?:\*\*?)?$/, '');
      if (pattern === '' || pattern === '.') return [];
      // A name alone may be of a file or a folder at any depth, as in a list of ignored files.
      const globs = [pattern, `${pattern}/**`, `**/${pattern}`, `**/${pattern}/**`];
      const isThere = paths.some(globMatcher(globs, { nocase: true }));
      return isThere
        ? []
        : [{ path: manifest?.path ?? null, message: `\`files\` lists ${file}, which matches no file` }];
    });
    return [...maps, ...lists];
  },
};

function decode(text: string): string {
  try {
    return decodeURI(text);
  } catch {
    return text;
  }
}
