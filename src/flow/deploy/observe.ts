import path from 'node:path/posix';
import pLimit from 'p-limit';
import { filesOfPart, linknameFor } from '../../core/deploy/mapped-files.ts';
import type { DeployedFile, DeployedPart, Deployment } from '../../core/record/deployment-state.ts';
import { type Target, targetDigest } from '../../world/target/target.ts';
import { currentLink, placesOf, type Site } from './site.ts';

/** A path on a target that is not as the last deployment left it. */
export type HandChange = { readonly path: string; readonly how: string };

/** How many files of a target are looked at at the same time. */
export const filesAtOnce = 8;

/**
 * What was changed on a target since a release was put into place: in its folder, at `current`, at mapped paths. Every byte
 * is read.
 */
export async function changesByHand(
  site: Site,
  { id, parts }: Pick<Deployment, 'id' | 'parts'>,
  files: readonly DeployedFile[],
): Promise<HandChange[]> {
  const { target } = site;
  const { current } = placesOf(site);
  const found: HandChange[] = [];
  const lead = await linkAt(target, current);
  if (lead !== currentLink(id)) found.push({ path: current, how: lead === null ? 'removed' : `leads to ${lead}` });
  for (const change of await changesInRelease(site, id, files)) found.push(change);
  for (const part of parts) {
    if (!part.isCopied) {
      const link = await linkAt(target, part.to);
      if (link !== linknameFor(part, target.folder))
        found.push({ path: part.to, how: link === null ? await howGone(target, part.to) : `leads to ${link}` });
      continue;
    }
    const limit = pLimit(filesAtOnce);
    const changes = await Promise.all(
      filesOfPart(files, part).map(({ file, to }) =>
        limit(async () => ({ path: to, how: await howChanged(target, to, file) })),
      ),
    );
    for (const { path, how } of changes) if (how !== null) found.push({ path, how });
  }
  return found.sort((a, b) => (a.path < b.path ? -1 : 1));
}

/** The same in the folder of a release alone. */
export async function changesInRelease(site: Site, id: string, files: readonly DeployedFile[]): Promise<HandChange[]> {
  const top = placesOf(site).release(id);
  const there = await pathsBelow(site.target, top);
  const known = new Set(files.map((file) => file.path));
  const added = there
    .filter((inside) => !known.has(inside))
    .map((inside) => ({ path: `${top}/${inside}`, how: 'added' }));
  const limit = pLimit(filesAtOnce);
  const changes = await Promise.all(
    files.map((file) =>
      limit(async () => ({
        path: `${top}/${file.path}`,
        how: await howChanged(site.target, `${top}/${file.path}`, file),
      })),
    ),
  );
  return [...added, ...changes.flatMap((change) => (change.how === null ? [] : [{ ...change, how: change.how }]))];
}

/** How a file differs from what was deployed; null when it does not. */
export async function howChanged(target: Target, place: string, file: DeployedFile): Promise<string | null> {
  const found = await target.find(place);
  if (found === null) return 'removed';
  if (found.type !== file.type) return `is a ${found.type === 'symlink' ? 'link' : found.type} now`;
  if (file.type === 'symlink')
    return (await target.linkname(place)) === file.linkname ? null : `leads to ${await target.linkname(place)}`;
  if ((await targetDigest(target, place)) !== file.sha256) return 'changed';
  return found.mode === file.mode ? null : `has the mode ${octal(found.mode)} instead of ${octal(file.mode)}`;
}

/** Where a link leads; null when there is none. */
export async function linkAt(target: Target, place: string): Promise<string | null> {
  return (await target.find(place))?.type === 'symlink' ? target.linkname(place) : null;
}

/** Whether a mapped path leads through `current` of this deployment. */
export async function isOwnLink(site: Site, part: Pick<DeployedPart, 'to'>): Promise<boolean> {
  const link = await linkAt(site.target, part.to);
  if (link === null) return false;
  const place = path.join(path.dirname(part.to), link);
  const { current } = placesOf(site);
  return place === current || place.startsWith(`${current}/`);
}

async function howGone(target: Target, place: string): Promise<string> {
  const found = await target.find(place);
  return found === null ? 'removed' : `is a ${found.type} now`;
}

/** Paths of files and links below a folder of a target. */
async function pathsBelow(target: Target, top: string, inside = ''): Promise<string[]> {
  const found: string[] = [];
  for (const name of await target.names(inside === '' ? top : `${top}/${inside}`)) {
    const own = inside === '' ? name : `${inside}/${name}`;
    const entry = await target.find(`${top}/${own}`);
    if (entry?.type === 'folder') for (const below of await pathsBelow(target, top, own)) found.push(below);
    else found.push(own);
  }
  return found;
}

function octal(mode: number): string {
  return mode.toString(8).padStart(4, '0');
}
