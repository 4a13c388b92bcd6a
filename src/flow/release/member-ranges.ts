import path from 'node:path';
import { ecosystemDefinitions, type ListedManifest, manifestFiles } from '../../core/ecosystem/definitions.ts';
import { leavesPrerelease, namesPrerelease } from '../../core/history/dependency.ts';
import { foldersUp } from '../../core/manifest/version-place/place.ts';
import { workspaceGlobs } from '../../core/manifest/workspace-globs.ts';
import { globMatcher } from '../../core/text/glob.ts';
import { readTextIfThere, writeWhole } from '../../world/files.ts';
import { placeInside } from '../../world/place-inside.ts';
import { type ChangedManifest, changedManifest } from '../build/own-lockfiles.ts';
import type { Survey } from '../survey/survey.ts';
import type { Releasing } from './releasing.ts';

/** What the manifests of a checkout are looked at for. */
export type MemberSearch = {
  readonly survey: Survey;
  readonly releasing: readonly Releasing[];
  /** Root of the checkout, and its files as paths in the repository. */
  readonly checkout: string;
  readonly files: ReadonlySet<string>;
};

/** The released packages, as lockfiles need to know them. Folders are those of the repository. */
export function releasedManifests({ survey, releasing }: MemberSearch): ChangedManifest[] {
  const versions = new Map(releasing.map(({ pkg, version }) => [pkg.index, version]));
  return releasing.flatMap(({ pkg }) => changedManifest(pkg, { survey, versions }) ?? []);
}

/**
 * Raises ranges that would no longer lead to the workspace's own copy in manifests of the workspace that are not released
 * themselves, such as private members: the released tag could not be installed otherwise.
 * @returns the manifests that were changed.
 */
export async function raiseMembers(search: MemberSearch): Promise<ChangedManifest[]> {
  const { releasing, checkout, files } = search;
  const own = new Set(releasing.map(({ pkg }) => pkg.manifestPath));
  const changed: ChangedManifest[] = [];
  const isMember = await memberTest(search);
  for (const file of files) {
    const found = manifestsByName.get(path.posix.basename(file));
    if (found === undefined || own.has(file) || !isMember(file)) continue;
    const text = await readTextIfThere(await placeInside(checkout, file, file));
    if (text === null) continue;
    const raised = await raise(search, { file, found, text });
    if (raised !== null) changed.push(raised);
  }
  return changed;
}

async function raise(
  { survey, releasing, checkout }: MemberSearch,
  { file, found, text }: { readonly file: string; readonly found: ListedManifest; readonly text: string },
): Promise<ChangedManifest | null> {
  const { ecosystem } = found;
  const rules = ecosystemDefinitions[ecosystem].ranges;
  const format = await found.load();
  const manifest = format.read(text, file);
  const ranges = manifest.dependencies.flatMap(({ name, range }) => {
    const needed = releasing.find(({ pkg }) => pkg.ecosystem === ecosystem && pkg.fullName === name);
    if (needed === undefined || rules.isWorkspaceRange(range) || range === '') return [];
    const { version, surveyed } = needed;
    const last = surveyed.last?.version ?? null;
    if (rules.takes(range, last, version) && !leavesPrerelease(range, version)) return [];
    // One that had left the workspace's own copy behind before this release is meant to.
    const before = surveyed.lastInSeries?.version ?? last;
    const followed = before === null || rules.takes(range, before, before) || namesPrerelease(range);
    return followed ? [{ name, from: range, to: rules.raise(range, version) }] : [];
  });
  if (ranges.length === 0) return null;
  const stamped = format.stamp(text, { version: null, isStatic: false, ranges }, file);
  await writeWhole(await placeInside(checkout, file, file), stamped);
  const folder = folderOf(file);
  const name = manifest.name ?? survey.workspace.packages.find((pkg) => pkg.manifestPath === file)?.name ?? '';
  return { ecosystem, file, name, folder, version: null, ranges };
}

const manifestsByName = new Map(manifestFiles.map((listed) => [listed.file, listed] as const));

/** '' for the root. */
function folderOf(file: string): string {
  const folder = path.posix.dirname(file);
  return folder === '.' ? '' : folder;
}

/** Whether a manifest belongs to the workspace: one of a package, or what the workspaces of a package manager list. */
async function memberTest({ survey, checkout, files }: MemberSearch): Promise<(file: string) => boolean> {
  const packages = new Set(survey.workspace.packages.flatMap(({ manifestPath }) => manifestPath ?? []));
  const roots: { folder: string; fits: (folder: string) => boolean }[] = [];
  const above = new Set(survey.workspace.packages.flatMap(({ folder }) => foldersUp(folder)));
  for (const file of files) {
    if (!above.has(folderOf(file))) continue;
    if (
      !/(?:^|\/)(?:package\.json|pnpm-workspace\.yaml|Cargo\.toml)$/.test(file) ||
      /(?:^|\/)node_modules\//.test(file)
    )
      continue;
    const text = (await readTextIfThere(await placeInside(checkout, file, file))) ?? '';
    const { include, exclude } = workspaceGlobs(path.posix.basename(file), text, file);
    const folder = folderOf(file);
    if (include.length === 0) continue;
    const [fits, isLeftOut] = [globMatcher(include), globMatcher(exclude)];
    roots.push({ folder, fits: (inside) => fits(inside) && !isLeftOut(inside) });
  }
  return (file) => {
    if (packages.has(file)) return true;
    if (/(?:^|\/)node_modules\//.test(file)) return false;
    const folder = folderOf(file);
    return roots.some((root) => {
      if (folder === root.folder) return true;
      const inside = path.posix.relative(root.folder, folder);
      return !inside.startsWith('..') && root.fits(inside);
    });
  };
}
