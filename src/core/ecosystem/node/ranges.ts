import semver from 'semver';

/**
 * Whether a version of a workspace package is inside the range that a package.json declares, as npm reads ranges.
 * `workspace:^` and its kin mean the last release; a path means exactly that (docs/design/versions.md, step 16).
 * @param last the dependency's last release, null when it has none.
 */
export function nodeRangeTakes(range: string, last: string | null, version: string): boolean {
  const resolved = resolveNodeRange(range, last);
  return resolved !== null && semver.satisfies(version, resolved);
}

/** The range with the operator kept and the new version behind it: `^1.2.0` becomes `^2.0.0`. */
export function raiseNodeRange(range: string, version: string): string {
  const match = /^(workspace:)?([\^~]|>=|=)?v?\d[\w.+-]*$/.exec(range.trim());
  if (match !== null) return `${match[2] ?? ''}${version}`;
  const operator = /^workspace:([\^~])$/.exec(range)?.[1];
  if (operator !== undefined) return `${operator}${version}`;
  return isPathLike(range) || range === 'workspace:*' ? version : `^${version}`;
}

/** Whether the text stands for the workspace's own copy and must be written as a range before it is published. */
export function isWorkspaceRange(range: string): boolean {
  return range.startsWith('workspace:') || isPathLike(range);
}

function resolveNodeRange(range: string, last: string | null): string | null {
  if (!isWorkspaceRange(range)) return range;
  const text = range.replace(/^workspace:/, '');
  if (text !== '*' && text !== '^' && text !== '~' && !isPathLike(range)) return text;
  if (last === null) return null;
  return text === '^' || text === '~' ? `${text}${last}` : last;
}

function isPathLike(range: string): boolean {
  return /^(?:file:|link:|portal:|\.{1,2}\/)/.test(range);
}
