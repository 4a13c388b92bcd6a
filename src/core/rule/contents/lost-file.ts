import { commonFolder } from '../../contents/entry.ts';
import { insidePath, insidePaths } from '../../form/artifact.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const lostFile: Rule = {
  id: 'contents/lost-file',
  forms: allForms,
  severity: 'note',
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
    const lostCode = lost.filter((path) => !/(?:^|\/)[\w-]+-[A-Za-z0-9_-]{6,}\.[\w.]+$|\.map$/.test(path));
    const found: RawFinding[] = [];
    if (lostCode.length > 0) found.push(list(lostCode, `was in ${last.version} and is not inside any more`, 'warn'));
    if (fresh.length > 0) found.push(list(fresh, `was not in ${last.version}`, 'note'));
    return found;
  },
};

/** Folders such as `tidemark-1.4.0.dist-info` are called after the version. */
function unversioned(path: string): string {
  return path.replace(/-\d+(?:\.\d+)+[\w.+-]*\.(dist-info|data|jar)/, '.$1');
}

function list(paths: readonly string[], what: string, severity: 'warn' | 'note'): RawFinding {
  const others = paths.length === 1 ? '' : `; so it is with ${paths.length - 1} more`;
  return { path: paths[0] ?? null, message: `it ${what}${others}`, severity };
}
