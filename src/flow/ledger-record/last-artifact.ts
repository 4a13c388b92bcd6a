import type { Entry } from '../../core/contents/entry.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import type { Form } from '../../core/name/form.ts';
import { type ContentsList, entriesIn, parseContentsList } from '../../core/record/contents-list.ts';
import { whyUnreadable } from '../../core/record/parse-record.ts';
import { areTwins } from '../../core/record/release-record.ts';
import { compareVersions, isVersion } from '../../core/version/version.ts';
import { ledgerRef } from '../../world/git/ledger-store.ts';
import { eachBlobAt, readFilesAt } from '../../world/git/read-objects.ts';
import type { Repository } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { localReleases } from './ledger.ts';
import { contentsFile } from './ledger-writer.ts';

/** An artifact of a release on record. */
export type RecordedArtifact = {
  readonly package: string;
  readonly version: string;
  readonly sizeBytes: number;
  readonly entries: readonly Entry[];
};

/** Which artifact is asked for: of the last release before a version, of one form and platform. */
export type ArtifactQuestion = {
  readonly package: string | null;
  /** Null for the last release of all. */
  readonly before: string | null;
  readonly form: Form;
  readonly platform: string | null;
};

/**
 * Looks artifacts of earlier releases up in the ledger, which keeps their contents lists, so that nothing has to be fetched.
 * The events are read once.
 * @throws LEDGER_DAMAGED when a list is not there.
 */
export function artifactsOnRecord(
  context: Context,
  repository: Repository,
): (question: ArtifactQuestion) => Promise<RecordedArtifact | null> {
  let releases: Promise<LedgerRelease[]> | null = null;
  return async ({ package: name, before, form, platform }) => {
    releases ??= localReleases(context, repository);
    const last = (await releases)
      .filter((release) => release.package === name && isBefore(release.version, before))
      .sort((a, b) => compareVersions(b.version, a.version))[0];
    const twin = last?.artifacts.find((artifact) => areTwins(artifact, { form, platform }));
    if (last === undefined || twin === undefined) return null;
    const entries = entriesIn(await readContentsList(repository, last), twin.file) ?? [];
    return { package: last.package, version: last.version, sizeBytes: twin.size, entries };
  };
}

/** The contents list of a release, from the ledger. @throws LEDGER_DAMAGED when it is not there, or another. */
export async function readContentsList({ place }: Repository, release: LedgerRelease): Promise<ContentsList> {
  const inside = contentsPath(release);
  return parseContents(release, (await readFilesAt(place, ledgerRef, [inside])).get(inside) ?? null);
}

/**
 * The contents lists that name a digest, of those of some releases that can be read. Others are gone through one by one, so that
 * memory does not grow with the number of releases.
 */
export async function contentsListsWith(
  { place }: Repository,
  releases: readonly LedgerRelease[],
  digest: string,
): Promise<ReadonlyMap<LedgerRelease, ContentsList>> {
  const byPath = new Map(releases.map((release) => [contentsPath(release), release]));
  const found = new Map<LedgerRelease, ContentsList>();
  await eachBlobAt(place, { commit: ledgerRef, paths: [...byPath.keys()] }, (inside, bytes) => {
    const release = byPath.get(inside);
    if (release === undefined || !bytes.includes(digest, 0, 'latin1')) return;
    const list = contentsOrNull(release, bytes.toString('utf8'));
    if (list !== null) found.set(release, list);
  });
  return found;
}

function contentsOrNull(release: LedgerRelease, text: string): ContentsList | null {
  try {
    return parseContents(release, text);
  } catch (error) {
    if (isBevelstoneError(error, 'LEDGER_DAMAGED')) return null;
    throw error;
  }
}

function contentsPath({ package: name, version, contents: digest }: LedgerRelease): string {
  return `${name}/${version}/contents-${digest}.json`;
}

/** @param text null where there is none. @throws LEDGER_DAMAGED */
function parseContents(release: LedgerRelease, text: string | null): ContentsList {
  const isRecorded = text !== null && contentsFile(text).sha256 === release.contents;
  const parsed = isRecorded ? parseContentsList(text) : null;
  if (parsed?.type === 'record') return parsed.record;
  const inside = contentsPath(release);
  throw new BevelstoneError('LEDGER_DAMAGED', {
    message: `the contents list of ${release.package} ${release.version} in the ledger is not usable`,
    why:
      text === null
        ? `there is no ${inside}`
        : parsed === null
          ? `${inside} is not the one that was recorded`
          : `${inside}: ${whyUnreadable(parsed)}`,
    fix: parsed?.type === 'newer' ? 'Use a newer version of Bevelstone' : 'Fetch the ledger again from the remote',
  });
}

function isBefore(version: string, than: string | null): boolean {
  return than === null || !isVersion(than) || compareVersions(version, than) < 0;
}
