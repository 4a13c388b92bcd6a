import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { findVersionPlaces } from '../../core/ecosystem/version-places.ts';
import { headerVersion } from '../../core/manifest/version-header.ts';
import type { PackageHistory } from '../../core/plan/survey-parts.ts';
import { listFilesAt, readFilesAt } from '../../world/git/read-objects.ts';
import type { GitPlace } from '../../world/git/run-git.ts';
import type { Package, Workspace } from '../workspace/workspace.ts';

/** A version that a file of a package has at the surveyed commit. */
export type SourceVersion = { readonly file: string; readonly version: string; readonly isSource: boolean };

/**
 * The versions that the sources of packages without a release have, by the index of the package. Of one with a release the
 * tags say enough.
 */
export async function sourceVersions({
  workspace: { repository },
  commit,
  histories,
}: {
  readonly workspace: Workspace;
  readonly commit: string;
  readonly histories: readonly PackageHistory<Package>[];
}): Promise<ReadonlyMap<number, readonly SourceVersion[]>> {
  const open = histories.filter(({ release, tags }) => release.last === null && tags.length === 0);
  const found = new Map<number, readonly SourceVersion[]>();
  if (open.length === 0) return found;
  const { place } = repository;
  const files = new Set((await listFilesAt(place, commit, '')).keys());
  const texts = new Map<string, Promise<string | null>>();
  const read = (file: string) => {
    const text = texts.get(file) ?? readFilesAt(place, commit, [file]).then((read) => read.get(file) ?? null);
    texts.set(file, text);
    return text;
  };
  for (const { own } of open) {
    const { folder, manifestPath } = own;
    const search = { folder, name: own.fullName, manifestPath, files, read };
    const versions: SourceVersion[] = [];
    for (const { file, isSource, read: versionIn } of await findVersionPlaces(own.ecosystem, search)) {
      const version = versionIn((await read(file)) ?? '');
      if (version !== null) versions.push({ file, version, isSource });
    }
    found.set(own.index, [...versions, ...(await headerVersions({ own, files, place, commit }))]);
  }
  return found;
}

/** More headers than this are not read for a version. */
const maxHeaders = 200;

async function headerVersions({
  own,
  files,
  place,
  commit,
}: {
  readonly own: Package;
  readonly files: ReadonlySet<string>;
  readonly place: GitPlace;
  readonly commit: string;
}): Promise<SourceVersion[]> {
  const { versionHeaders } = ecosystemDefinitions[own.ecosystem];
  if (versionHeaders === null) return [];
  const inFolder = (file: string) => own.folder === '' || file.startsWith(`${own.folder}/`);
  const headers = [...files].filter((file) => inFolder(file) && versionHeaders.test(file)).slice(0, maxHeaders);
  const texts = await readFilesAt(place, commit, headers);
  return headers.flatMap((file) => {
    const version = headerVersion(texts.get(file) ?? '', own.name);
    return version === null ? [] : [{ file, version, isSource: false }];
  });
}
