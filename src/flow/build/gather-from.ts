import path from 'node:path';
import { isInnerPath } from '../../core/contents/safe-path.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import { type BuiltPart, builtFilePath, parseBuiltPart, partPath } from '../../core/record/built-part.ts';
import { whyUnreadable } from '../../core/record/parse-record.ts';
import { parseReleaseRecord } from '../../core/record/release-record.ts';
import type { Store } from '../../store/store.ts';
import { fileDigest } from '../../world/archive/file-digest.ts';
import { makeFolder, writeStream, writeWhole } from '../../world/files.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { closeConnections } from '../../world/http.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { atMost } from '../../world/size-limit.ts';
import { type Context, detailOnce, during } from '../context.ts';
import { openStoreOf } from '../workspace/open-destination.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import type { Build } from './build.ts';
import { gather } from './gather.ts';

/** Where builds are gathered from. */
export type GatherFrom = {
  /** Name of the store in the configuration. */
  readonly from: string;
  /** The commit that was built; null for HEAD. */
  readonly at: string | null;
  /** Output folders of this machine that count too. */
  readonly folders: readonly string[];
};

/**
 * Fetches what other machines sent to a store with `build --send-built`, and joins it like `gather` with folders. Every file is
 * compared with the digest in its record.
 * @throws RELEASE_NOT_BUILT when nothing of the commit is there; DELIVERY_DIFFERS, GATHER_DIFFERS, RELEASE_ALTERED.
 */
export async function gatherFrom(context: Context, { from, at, folders }: GatherFrom): Promise<Build> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, at ?? 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'commit' });
  const store = await openStoreOf(context, workspace, from);
  const own = await makeOwnFolder(repository.commonFolder, 'gather');
  const platforms = [null, ...new Set(workspace.packages.flatMap(({ config }) => config.platforms))];
  try {
    const found: string[] = [];
    for (const platform of platforms) {
      const part = await readPart(store, { from, commit, platform });
      if (part === null) {
        detailOnce(context, `${from} has no build for ${platform ?? 'every platform'}`);
        continue;
      }
      const folder = path.join(own.folder, platform ?? 'any');
      const what = `fetch the build for ${platform ?? 'every platform'} from ${from}, built by ${part.by}`;
      await during(context, what, () => fetchPart(store, part, { from, folder }));
      found.push(folder);
    }
    if (found.length === 0) throw nothingThere(from, commit);
    return await gather(context, [...folders, ...found]);
  } finally {
    await own.remove();
    await closeConnections();
  }
}

async function readPart(
  store: Store,
  { from, commit, platform }: { readonly from: string; readonly commit: string; readonly platform: string | null },
): Promise<BuiltPart | null> {
  const place = partPath(commit, platform);
  const { text } = await store.read(place);
  if (text === null) return null;
  const parsed = parseBuiltPart(text);
  if (parsed.type !== 'record') throw altered(from, place, whyUnreadable(parsed));
  const { record } = parsed;
  if (record.commit === commit && record.platform === platform) return record;
  throw altered(from, place, 'it speaks of another commit or platform');
}

/** Writes release folders as `build` leaves them. */
async function fetchPart(
  store: Store,
  { commit, platform, releases }: BuiltPart,
  { from, folder }: { readonly from: string; readonly folder: string },
): Promise<void> {
  for (const texts of releases) {
    const parsed = parseReleaseRecord(texts.release);
    if (parsed.type !== 'record') throw altered(from, partPath(commit, platform), whyUnreadable(parsed));
    const { record } = parsed;
    const place = path.join(folder, `${fileNameOf(record.package)}-${record.version}`);
    await makeFolder(place);
    for (const { file, size, sha256 } of record.artifacts) {
      if (!isInnerPath(file))
        throw altered(from, partPath(commit, platform), `it names a file ${JSON.stringify(file)}`);
      const inside = builtFilePath(commit, sha256);
      await makeFolder(path.dirname(path.join(place, file)));
      await writeStream(path.join(place, file), atMost(await store.open(store.addressOf(inside)), size));
      const digest = await fileDigest(path.join(place, file), size);
      if (digest !== sha256)
        throw new BevelstoneError('DELIVERY_DIFFERS', {
          message: `${from} returns different bytes for ${file} than were built`,
          why: `its SHA-256 is ${digest.slice(0, 12)}…, recorded is ${sha256.slice(0, 12)}…`,
          fix: `Delete ${store.addressOf(inside)} and build it again`,
        });
    }
    await writeWhole(path.join(place, 'CONTENTS.json'), texts.contents);
    await writeWhole(path.join(place, 'NOTES.md'), texts.notes);
    await writeWhole(path.join(place, 'release.json'), texts.release);
  }
}

function altered(from: string, place: string, why: string): BevelstoneError {
  return new BevelstoneError('RELEASE_ALTERED', {
    message: `${place} at ${from} cannot be used`,
    why,
    fix: 'Delete it there, and let that platform be built again',
    where: { file: place },
  });
}

function nothingThere(from: string, commit: string): BevelstoneError {
  return new BevelstoneError('RELEASE_NOT_BUILT', {
    message: `${from} has no build of ${commit.slice(0, 7)}`,
    why: 'no machine has sent one, or none has come to its end yet',
    fix: `On each machine: bevelstone build --at ${commit.slice(0, 12)} --platform P --send-built ${from}`,
  });
}
