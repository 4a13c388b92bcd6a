import { globMatcher } from '../text/glob.ts';

/** Where a package lives: its folder ('' or '.' is the whole repository) and globs of further paths. */
export type Territory = { readonly folder: string; readonly also: readonly string[] };

const none: readonly number[] = [];

/**
 * Tells which packages a changed path belongs to: the one with the longest folder that holds it, and each whose `also`
 * matches; bevelstone.yaml belongs to none (docs/design/versions.md, step 8).
 * @returns indexes into the territories, remembered per folder, so that a long history costs little.
 */
export function packagesByPath(territories: readonly Territory[]): (path: string) => readonly number[] {
  const byFolder = new Map(territories.map(({ folder }, index) => [normalFolder(folder), index]));
  const globs = territories.flatMap(({ also }, index) =>
    also.length === 0 ? [] : [{ index, matches: globMatcher(also) }],
  );
  const owners = new Map<string, readonly number[]>();
  const owner = (folder: string): readonly number[] => {
    const known = owners.get(folder);
    if (known !== undefined) return known;
    const index = byFolder.get(folder);
    const found = index !== undefined ? [index] : folder === '' ? none : owner(parentOf(folder));
    owners.set(folder, found);
    return found;
  };
  return (path) => {
    if (path === 'bevelstone.yaml') return none;
    const own = owner(parentOf(path));
    const more = globs.filter(({ index, matches }) => !own.includes(index) && matches(path)).map(({ index }) => index);
    return more.length === 0 ? own : [...own, ...more];
  };
}

/** A folder without `./` in front and `/` behind; '' for the root. */
export function normalFolder(folder: string): string {
  return folder
    .replace(/^(?:\.\/)+/, '')
    .replace(/\/+$/, '')
    .replace(/^\.$/, '');
}

function parentOf(path: string): string {
  const end = path.lastIndexOf('/');
  return end === -1 ? '' : path.slice(0, end);
}
