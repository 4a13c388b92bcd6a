import { commonFolder } from '../../contents/entry.ts';
import { insidePath, insidePaths } from '../../form/artifact.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { formsBut } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const lostFile: Rule = {
  id: 'contents/lost-file',
  forms: formsBut('loose'),
  severity: 'note',
  needsWhole: true,
  what: 'No files disappeared since the last release, and new files are intended',
  why: 'A missing file breaks users who import it; a new one may be included by accident',
  fix: 'Compare with `bevelstone inspect FILE --against last`; mention intended changes in the notes',
  example: 'dist/browser.js was in 1.3.2 and is not in 1.4.0',
  check: (artifact, { last }) => {
    if (last === null) return [];
    const top = formDefinitions[artifact.form].entries.hasTopFolder ? commonFolder(last.entries) : '';
    const before = new Set(
      last.entries.filter(({ type }) => type !== 'folder').map(({ path }) => unversioned(insidePath(path, top))),
    );
    const after = new Set(
      insidePaths(artifact)
        .filter((path) => !path.endsWith('/'))
        .map(unversioned),
    );
    const lost = [...before].filter((path) => !after.has(path));
    const fresh = [...after].filter((path) => !before.has(path));
    const lostCode = lost.filter((path) => !generated.test(path));
    const found: RawFinding[] = [];
    if (lostCode.length > 0) found.push(list(lostCode, `was in ${last.version} and is not inside any more`, 'warn'));
    const added = fresh.filter((path) => !generated.test(path));
    if (added.length > 0) found.push(list(added, `was not in ${last.version}`, 'note'));
    return found;
  },
};

/** Files and folders such as `tidemark-1.4.0.dist-info` and `libtides.so.1.4.0` are called after the version. */
function unversioned(path: string): string {
  return path.replace(
    /(^|[-_./a-z])v?\d+(?:\.\d+)+(?:[-+.]?(?:alpha|beta|rc|a|b)[.-]?\d*)?(?=[-_./]|$)/gi,
    '$1VERSION',
  );
}

/** What tools make anew for each build: names with a digest, maps, and lists of what was made. */
const generated =
  /(?:^|\/)[\w-]+-[A-Za-z0-9_-]{6,}\.[\w.]+$|\.map$|\.tsbuildinfo$|(?:^|\/)(?:RECORD|INSTALLER|WHEEL|SOURCES\.txt)$/;

function list(paths: readonly string[], what: string, severity: 'warn' | 'note'): RawFinding {
  const others = paths.length === 1 ? '' : `; so it is with ${paths.length - 1} more`;
  return { path: paths[0] ?? null, message: `it ${what}${others}`, severity };
}
