import path from 'node:path/posix';
import { filesOfPart, linknameFor, type PlacedFile } from '../../core/deploy/mapped-files.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { DeployedFile, DeployedPart, Deployment } from '../../core/record/deployment-state.ts';
import { faultPoint } from '../../world/fault-point.ts';
import type { Target } from '../../world/target/target.ts';
import type { Context } from '../context.ts';
import { howChanged, isOwnLink, linkAt } from './observe.ts';
import { blocked, currentLink, placesOf, type Site } from './site.ts';

/** Ending of a file until it is complete. */
const freshEnding = '.bevelstone-new';

/** A deployment with the list of its files. */
export type WithFiles = { readonly deployment: Deployment; readonly files: readonly DeployedFile[] };

/** What comes into place, null for nothing; and whatever may have left something in place before. */
export type Switch = { readonly to: WithFiles | null; readonly from: readonly WithFiles[] };

/**
 * Puts a release into place. Mapped links come first, since they lead through `current`; then `current` is replaced in one
 * step; then files are copied that no link can stand for. Doing it again, or the other way round, is harmless at any point.
 * @throws DEPLOY_BLOCKED
 */
export async function switchRelease(context: Context, site: Site, change: Switch): Promise<void> {
  const { target } = site;
  const { own, current } = placesOf(site);
  const { to, from } = change;
  for (const part of to?.deployment.parts ?? []) if (!part.isCopied) await linkPart(site, part);
  faultPoint('deploy', 'linked', 'after-effect');
  if (to === null) await target.remove(current);
  else if ((await linkAt(target, current)) !== currentLink(to.deployment.id)) {
    const fresh = `${own}/current.new`;
    await target.remove(fresh);
    await target.makeLink(fresh, currentLink(to.deployment.id));
    await target.replace(fresh, current);
  }
  faultPoint('deploy', 'switched', 'after-effect');
  const kept = new Set((to?.deployment.parts ?? []).filter(({ isCopied }) => !isCopied).map((part) => part.to));
  for (const part of from.flatMap(({ deployment }) => deployment.parts))
    if (!part.isCopied && !kept.has(part.to) && (await isOwnLink(site, part))) await target.remove(part.to);
  await copyParts(context, site, change);
  faultPoint('deploy', 'copied', 'after-effect');
}

/** Compares what is in place with what should be. @throws TARGET_REFUSED */
export async function checkInPlace(site: Site, { deployment: { id, parts }, files }: WithFiles): Promise<void> {
  const { target } = site;
  const problems: string[] = [];
  const lead = await linkAt(target, placesOf(site).current);
  if (lead !== currentLink(id)) problems.push(`current leads to ${lead ?? 'nothing'}`);
  for (const part of parts) {
    if (!part.isCopied) {
      const link = await linkAt(target, part.to);
      if (link !== linknameFor(part, target.folder)) problems.push(`${part.to} leads to ${link ?? 'nothing'}`);
      continue;
    }
    for (const { file, to } of filesOfPart(files, part)) {
      const how = await howChanged(target, to, file);
      if (how !== null) problems.push(`${to}: ${how}`);
    }
  }
  if (problems.length === 0) return;
  throw new BevelstoneError('TARGET_REFUSED', {
    message: `${id} is not in place on ${target.where}`,
    why: problems.slice(0, 10).join('\n'),
    fix: 'Find out what else writes there',
  });
}

async function linkPart(site: Site, part: DeployedPart): Promise<void> {
  const { target } = site;
  const linkname = linknameFor(part, target.folder);
  const there = await linkAt(target, part.to);
  if (there === linkname) return;
  const found = await target.find(part.to);
  if (found !== null && !(await isOwnLink(site, part))) throw blocked(site, part.to, found.type);
  await target.makeFolder(path.dirname(part.to));
  const fresh = `${part.to}${freshEnding}`;
  await target.remove(fresh);
  await target.makeLink(fresh, linkname);
  await target.replace(fresh, part.to);
}

/** Copies what is mapped by copying. A file of neither release is kept aside before it is replaced. */
async function copyParts(context: Context, site: Site, { to, from }: Switch): Promise<void> {
  const { target } = site;
  const wanted = new Map(placedBy(to).map((placed) => [placed.to, placed]));
  const old = from.flatMap(placedBy);
  const oldAt = (place: string) => old.filter((placed) => placed.to === place);
  const aside = placesOf(site).kept((to ?? from[0])?.deployment.id ?? 'unknown');
  const isInTheWay = (place: string) =>
    [...wanted.keys()].some((other) => other.startsWith(`${place}/`) || place.startsWith(`${other}/`));
  const gone = old.filter((placed) => !wanted.has(placed.to));
  // First what would be a file where a folder comes, or the other way round.
  for (const placed of gone.filter((item) => isInTheWay(item.to)))
    await removeCopy(target, placed, { known: oldAt(placed.to), aside });
  await makeWay(site, to);
  let count = 0;
  for (const placed of wanted.values()) {
    context.signal.throwIfAborted();
    if ((await howChanged(target, placed.to, placed.file)) === null) continue;
    await keepAside(target, placed.to, { known: [...oldAt(placed.to), placed], aside });
    await copyOne(target, `${placesOf(site).release(to?.deployment.id ?? '')}/${placed.file.path}`, placed);
    count++;
    faultPoint('deploy', `copy-${count}`, 'after-effect');
  }
  for (const placed of gone.filter((item) => !isInTheWay(item.to)))
    await removeCopy(target, placed, { known: oldAt(placed.to), aside });
  for (const folder of emptiedFolders(gone)) await target.removeFolder(folder);
}

function placedBy(release: WithFiles | null): PlacedFile[] {
  const copied = (release?.deployment.parts ?? []).filter(({ isCopied }) => isCopied);
  return copied.flatMap((part) => filesOfPart(release?.files ?? [], part));
}

/** A part that was a link before and is copied now. */
async function makeWay(site: Site, to: WithFiles | null): Promise<void> {
  for (const part of to?.deployment.parts ?? [])
    if (part.isCopied && (await isOwnLink(site, part))) await site.target.remove(part.to);
}

async function copyOne(target: Target, from: string, { file, to }: PlacedFile): Promise<void> {
  await target.makeFolder(path.dirname(to));
  const fresh = `${to}${freshEnding}`;
  await target.remove(fresh);
  if (file.type === 'symlink') await target.makeLink(fresh, file.linkname ?? '');
  else await target.write(fresh, target.read(from), file.mode);
  await target.replace(fresh, to);
}

async function removeCopy(target: Target, placed: PlacedFile, known: Aside): Promise<void> {
  await target.remove(`${placed.to}${freshEnding}`);
  if ((await target.find(placed.to)) === null) return;
  await keepAside(target, placed.to, known);
  await target.remove(placed.to);
}

/** What releases have at a place, and the folder for anything else that is found there. */
type Aside = { readonly known: readonly PlacedFile[]; readonly aside: string };

/** Moves what no release put there out of the way, so that it is not lost. */
async function keepAside(target: Target, place: string, { known, aside }: Aside): Promise<void> {
  const found = await target.find(place);
  if (found === null) return;
  for (const placed of known) {
    const how = await howChanged(target, place, placed.file);
    if (how === null || how.startsWith('has the mode')) return;
  }
  const kept = `${aside}${place}`;
  await target.makeFolder(path.dirname(kept));
  await target.remove(kept);
  // The two may be on different file systems.
  if (found.type === 'file') await target.write(kept, target.read(place), found.mode);
  else if (found.type === 'symlink') await target.makeLink(kept, await target.linkname(place));
}

/** Folders that only files lay in that are gone, the deepest first. */
function emptiedFolders(gone: readonly PlacedFile[]): string[] {
  const folders = new Set<string>();
  for (const { to, top } of gone)
    for (let folder = path.dirname(to); folder === top || folder.startsWith(`${top}/`); folder = path.dirname(folder))
      folders.add(folder);
  return [...folders].sort((a, b) => b.length - a.length);
}
