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
    const listed = files.flatMap((file): Listed[] => {
      if (typeof file !== 'string' || file.startsWith('!')) return [];
      const pattern = file.replace(/^\.?\//, '').replace(/\/(?:\*\*?)?$/, '');
      return pattern === '' || pattern === '.' ? [] : [{ file, pattern }];
    });
    const at = manifest?.path ?? null;
    const { missing, unchecked } = missingFrom(listed, insidePaths(artifact));
    const lists = missing.map((file) => ({ path: at, message: `\`files\` lists ${file}, which matches no file` }));
    const rest = `${unchecked} patterns in \`files\` were not checked, since more than ${mostGlobs} have wildcards`;
    return [...maps, ...lists, ...(unchecked === 0 ? [] : [{ path: at, message: rest, severity: 'note' as const }])];
  },
};

/** An entry of a manifest's list of files, and the name or glob in it. */
type Listed = { readonly file: string; readonly pattern: string };

/** Each is compared with every path. */
const mostGlobs = 100;

/** Whether it needs no glob to be found. */
function isName(pattern: string): boolean {
  const parts = pattern.split('/');
  return /^[\w@/.-]+$/.test(pattern) && parts.length <= mostParts && !parts.some((part) => /^\.{0,2}$/.test(part));
}

/** What matches no path. A name alone may be of a file or a folder at any depth, as in a list of ignored files. */
function missingFrom(
  listed: readonly Listed[],
  paths: readonly string[],
): { readonly missing: readonly string[]; readonly unchecked: number } {
  const names = new Set(listed.flatMap(({ pattern }) => (isName(pattern) ? [pattern.toLowerCase()] : [])));
  for (const path of paths) {
    if (names.size === 0) break;
    for (const part of partsOf(path.toLowerCase())) names.delete(part);
  }
  const globs = listed.filter(({ pattern }) => !isName(pattern));
  const unmatched = globs.slice(0, mostGlobs).filter(({ pattern }) => {
    const anywhere = [pattern, `${pattern}/**`, `**/${pattern}`, `**/${pattern}/**`];
    return !paths.some(globMatcher(anywhere, { nocase: true }));
  });
  const isMissing = (one: Listed) => unmatched.includes(one) || names.has(one.pattern.toLowerCase());
  return {
    missing: listed.filter(isMissing).map(({ file }) => file),
    unchecked: Math.max(0, globs.length - mostGlobs),
  };
}

const mostParts = 20;

/** Every run of names in a path, up to a length: of `a/b/c` also `b` and `b/c`. */
function* partsOf(path: string): Generator<string> {
  for (let start = 0; ; start = path.indexOf('/', start) + 1) {
    let end = path.indexOf('/', start);
    for (let part = 1; part < mostParts && end !== -1; part++) {
      yield path.slice(start, end);
      end = path.indexOf('/', end + 1);
    }
    yield path.slice(start, end === -1 ? undefined : end);
    if (path.indexOf('/', start) === -1) return;
  }
}

function decode(text: string): string {
  try {
    return decodeURI(text);
  } catch {
    return text;
  }
}
