import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { copyFile, readFile, stat } from 'node:fs/promises';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { exists, makeUsualFolder } from '../files.ts';
import { listFilesAt, listSubmodulesAt, readFilesAt } from './read-objects.ts';
import type { Repository } from './repository.ts';
import { git } from './run-git.ts';

/** Files missing in a checkout because git stores them elsewhere, and filters that ran. Paths from the root. */
export type OutsideFiles = {
  readonly submodules: readonly string[];
  readonly largeFiles: readonly string[];
  readonly filters: readonly string[];
  /** Whether there is any of them, also where it was filled in: what git alone does not put back. */
  readonly isAny: boolean;
};

/**
 * Fills in submodules and large files from what this machine has of them, without asking any network, and says what is
 * missing still.
 */
export async function fillOutsideFiles(repository: Repository, commit: string, folder: string): Promise<OutsideFiles> {
  const submodules: string[] = [];
  const links = await listSubmodulesAt(repository.place, commit);
  for (const [inside, id] of links) {
    if (!(await fillSubmodule({ repository, target: path.join(folder, inside), inside, id }))) submodules.push(inside);
  }
  const tracked = await listFilesAt(repository.place, commit, '');
  const attributes = [...tracked.keys()].filter((file) => /(?:^|\/)\.gitattributes$/.test(file));
  const texts = [...(await readFilesAt(repository.place, commit, attributes)).values()];
  const filters = [
    ...new Set(texts.flatMap((text) => [...(text ?? '').matchAll(/\sfilter=(\S+)/g)].map(([, name = '']) => name))),
  ];
  const largeFiles: string[] = [];
  for (const file of filters.length === 0 ? [] : tracked.keys()) {
    if (!(await fillLargeFile(repository, path.join(folder, file)))) largeFiles.push(file);
  }
  return { submodules, largeFiles, filters, isAny: links.size > 0 || filters.length > 0 };
}

/** A submodule that was fetched before has a repository of its own below the common folder (gitrepository-layout(5), "modules"). */
async function fillSubmodule({
  repository: { commonFolder, place },
  target,
  inside,
  id,
}: {
  readonly repository: Repository;
  readonly target: string;
  readonly inside: string;
  readonly id: string;
}): Promise<boolean> {
  const modules = path.join(commonFolder, 'modules', inside);
  if (!(await exists(path.join(modules, 'HEAD')))) return false;
  const at = {
    folder: modules,
    env: place.env,
    indexFile: path.join(path.dirname(path.dirname(target)), `index-${id}`),
  };
  const own = [`--git-dir=${modules}`];
  if ((await git(at, [...own, 'cat-file', '-e', `${id}^{commit}`], { allow: [1, 128] })).exitCode !== 0) return false;
  await makeUsualFolder(target);
  await git(at, [...own, 'read-tree', id]);
  await git(at, [...own, `--work-tree=${target}`, 'checkout-index', '--all', '--force', `--prefix=${target}/`], {
    hasUsualModes: true,
  });
  return true;
}

const pointer = /^version https?:\/\/\S+\/spec\/v1\n(?:ext-\S+ .*\n)*oid sha256:([0-9a-f]{64})\nsize (\d+)\n$/;
const maxPointerBytes = 1024;

/** Puts the file in its pointer's place when this machine holds it, checked by its digest. @returns false when it does not. */
async function fillLargeFile({ commonFolder }: Repository, file: string): Promise<boolean> {
  const size = await stat(file).then(
    (found) => (found.isFile() ? found.size : 0),
    () => 0,
  );
  if (size < 100 || size > maxPointerBytes) return true;
  const id = pointer.exec(await readFile(file, 'utf8'))?.[1];
  if (id === undefined) return true;
  const kept = path.join(commonFolder, 'lfs', 'objects', id.slice(0, 2), id.slice(2, 4), id);
  if (!(await exists(kept))) return false;
  const hash = createHash('sha256');
  await pipeline(createReadStream(kept), hash);
  if (hash.digest('hex') !== id) return false;
  await copyFile(kept, file);
  return true;
}
