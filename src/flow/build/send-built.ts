import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { type BuiltPart, builtFilePath, formatBuiltPart, partPath } from '../../core/record/built-part.ts';
import type { Store } from '../../store/store.ts';
import { readText } from '../../world/files.ts';
import { closeConnections } from '../../world/http.ts';
import { hostName } from '../../world/platform.ts';
import { type Context, countMoved } from '../context.ts';
import { readReleaseFolder } from '../release-folder/built-release.ts';
import { parcelOf } from '../release-folder/parcel.ts';
import { openStoreOf } from '../workspace/open-destination.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import type { Build, SentBuild } from './build.ts';

/**
 * Sends what was built to a store, for `gather --from`. Artifacts come first, each under its digest; what says that they are a
 * build comes last, so that a machine that dies before leaves nothing that anyone would take.
 * @throws GATHER_DIFFERS when another build of the same platform is there; DESTINATION_REFUSED and the like.
 */
export async function sendBuilt(context: Context, { commit, releases }: Build, name: string): Promise<SentBuild> {
  const repository = await openContext(context);
  const workspace = await readWorkspace(context, { repository, commit, source: 'commit' });
  const store = await openStoreOf(context, workspace, name);
  try {
    const texts: BuiltPart['releases'][number][] = [];
    const platforms = new Set<string>();
    for (const { folder } of releases) {
      const built = await readReleaseFolder(folder);
      if (built === null) throw new Error('what was just built has a record');
      for (const artifact of built.record.artifacts) {
        if (artifact.platform !== null) platforms.add(artifact.platform);
        const parcel = await parcelOf(built, artifact);
        await sendOnce(context, store, { parcel, place: builtFilePath(commit, artifact.sha256), name });
      }
      const read = (file: string) => readText(path.join(folder, file));
      texts.push({
        release: await read('release.json'),
        contents: await read('CONTENTS.json'),
        notes: await read('NOTES.md'),
      });
    }
    const parts = platforms.size === 0 ? [null] : [...platforms].sort();
    const places: string[] = [];
    for (const platform of parts) {
      const part: BuiltPart = { commit, platform, by: hostName(), releases: texts };
      places.push(await writePart(store, part));
      context.report({ type: 'finished', what: `record the build for ${platform ?? 'every platform'} at ${name}` });
    }
    return { store: name, places };
  } finally {
    await closeConnections();
  }
}

async function sendOnce(
  context: Context,
  store: Store,
  {
    parcel,
    place,
    name,
  }: { readonly parcel: Awaited<ReturnType<typeof parcelOf>>; readonly place: string; readonly name: string },
): Promise<void> {
  const what = `send ${parcel.fileName} to ${name}`;
  context.report({ type: 'started', what });
  const before = await store.presence(place, parcel);
  if (before.type === 'same') return context.report({ type: 'skipped', what, why: 'it is there already' });
  if (before.type === 'different') throw notAsSent(name, place, before.why);
  try {
    await store.send(place, parcel, countMoved(context, what, parcel.sizeBytes));
  } catch (error) {
    // Another machine may have sent the same bytes meanwhile.
    if (!isBevelstoneError(error) || (await store.presence(place, parcel)).type !== 'same') throw error;
  }
  const after = await store.presence(place, parcel);
  if (after.type !== 'same') throw notAsSent(name, place, after.type === 'absent' ? 'it is not there' : after.why);
  context.report({ type: 'finished', what, detail: 'downloaded again, same bytes' });
}

/** Writes a part unless it is there; of another build of the same platform nothing is replaced. */
async function writePart(store: Store, part: BuiltPart): Promise<string> {
  const place = partPath(part.commit, part.platform);
  const text = formatBuiltPart(part);
  for (let attempt = 0; attempt < 3; attempt++) {
    const before = await store.read(place);
    if (before.text === text) return store.addressOf(place);
    if (before.text !== null) throw otherBuild(store.addressOf(place), part);
    const written = await store.write(place, text, before);
    if (written === 'written') return store.addressOf(place);
  }
  if ((await store.read(place)).text === text) return store.addressOf(place);
  throw otherBuild(store.addressOf(place), part);
}

function otherBuild(address: string, { commit, platform }: BuiltPart): BevelstoneError {
  return new BevelstoneError('GATHER_DIFFERS', {
    message: `another build of ${commit.slice(0, 7)} for ${platform ?? 'every platform'} is there already`,
    why: `${address} was written by another machine, or by another version of Bevelstone, Node.js or a tool`,
    fix: `Let one machine build each platform. To take this build instead, delete ${address} first`,
  });
}

function notAsSent(name: string, place: string, why: string): BevelstoneError {
  return new BevelstoneError('DELIVERY_DIFFERS', {
    message: `${name} does not have ${place} as it was sent`,
    why,
    fix: 'Delete that file there, then run the same command again',
  });
}
