import { writeStream } from '../files.ts';
import { eachObject, readObjects } from './object-reader.ts';
import { type GitPlace, git, gitChunks, gitLine } from './run-git.ts';

/** Texts of files at a commit, null where there is none. */
export async function readFilesAt(
  place: GitPlace,
  commit: string,
  paths: readonly string[],
): Promise<Map<string, string | null>> {
  const blobs = await readBlobsAt(place, commit, paths);
  return new Map([...blobs].map(([path, bytes]) => [path, bytes?.toString('utf8') ?? null]));
}

// git reads a folder anew for each path in it. For many, listing all files once costs less.
const worthAList = 500;

/** Bytes of files at a commit, null where there is none. */
export async function readBlobsAt(
  place: GitPlace,
  commit: string,
  paths: readonly string[],
): Promise<Map<string, Buffer | null>> {
  const found = new Map<string, Buffer | null>(paths.map((path) => [path, null]));
  await eachBlobAt(place, { commit, paths }, (path, bytes) => void found.set(path, bytes));
  return found;
}

/** The same one by one, as they come. @param take gets those that are there, and throws nothing. */
export async function eachBlobAt(
  place: GitPlace,
  { commit, paths }: { readonly commit: string; readonly paths: readonly string[] },
  take: (path: string, bytes: Buffer) => void,
): Promise<void> {
  // A path with a line break can't be asked for this way, and no manifest has one.
  const writable = paths.filter((path) => !path.includes('\n'));
  const ids = writable.length < worthAList ? null : await idsAt(place, commit, new Set(writable));
  const asked = ids === null ? writable : writable.filter((path) => ids.has(path));
  const names = asked.map((path) => ids?.get(path) ?? `${commit}:${path}`);
  await eachObject(place, names, (object, index) => {
    if (object?.type === 'blob') take(asked[index] ?? '', object.bytes);
  });
}

/** Blob ids of those of the paths that are files at a commit. One git process; memory for those that are wanted. */
async function idsAt(place: GitPlace, commit: string, wanted: ReadonlySet<string>): Promise<Map<string, string>> {
  const ids = new Map<string, string>();
  const decoder = new TextDecoder();
  let rest = '';
  for await (const chunk of gitChunks(place, ['ls-tree', '-r', '-z', '--full-tree', commit])) {
    const lines = (rest + decoder.decode(chunk, { stream: true })).split('\0');
    rest = lines.pop() ?? '';
    for (const line of lines) {
      const path = line.slice(line.indexOf('\t') + 1);
      const [, type, id] = wanted.has(path) ? line.slice(0, line.indexOf('\t')).split(' ') : [];
      if (type === 'blob' && id !== undefined) ids.set(path, id);
    }
  }
  return ids;
}

/** Writes a file of a commit as it is, whatever it holds. */
export async function writeFileAt(place: GitPlace, object: string, file: string): Promise<void> {
  await writeStream(file, gitChunks(place, ['cat-file', 'blob', object]));
}

/** What a commit's tree has below a folder: blob ids of its files and commits of its submodules, by path. */
type Listing = { readonly files: ReadonlyMap<string, string>; readonly submodules: ReadonlyMap<string, string> };

/** The last ones used at the end; a commit never has other files. Long ones would take too much memory. */
const listings = new Map<string, Promise<Listing>>();
const keptListings = 8;
const longestKept = 20_000;

/** Paths and blob ids of all files of a commit's tree below a folder ('' for all). */
export async function listFilesAt(
  place: GitPlace,
  commit: string,
  folder: string,
): Promise<ReadonlyMap<string, string>> {
  return (await listAt(place, commit, folder)).files;
}

/** Submodules of a commit's tree: path and the commit that each is at. */
export async function listSubmodulesAt(place: GitPlace, commit: string): Promise<ReadonlyMap<string, string>> {
  return (await listAt(place, commit, '')).submodules;
}

async function listAt(place: GitPlace, commit: string, folder: string): Promise<Listing> {
  if (!/^[0-9a-f]{40,64}$/.test(commit)) return listAnew(place, commit, folder);
  const key = [place.folder, commit, folder].join('\0');
  const listing = listings.get(key) ?? listAnew(place, commit, folder);
  listings.delete(key);
  listings.set(key, listing);
  for (const oldest of [...listings.keys()].slice(0, -keptListings)) listings.delete(oldest);
  const drop = () => listings.delete(key);
  void listing.then(({ files }) => files.size > longestKept && drop(), drop);
  return listing;
}

async function listAnew(place: GitPlace, commit: string, folder: string): Promise<Listing> {
  const scope = folder === '' ? [] : ['--', `${folder}/`];
  const { text } = await git(place, ['ls-tree', '-r', '-z', '--full-tree', commit, ...scope]);
  const [files, submodules] = [new Map<string, string>(), new Map<string, string>()];
  for (const line of text.split('\0')) {
    const [, type, id = '', path = ''] = /^\d+ (blob|commit) ([0-9a-f]+)\t([\s\S]+)$/.exec(line) ?? [];
    if (type === 'blob') files.set(path, id);
    else if (type === 'commit') submodules.set(path, id);
  }
  return { files, submodules };
}

/** Full ids of those names that are commits here. */
export async function findCommits(place: GitPlace, names: readonly string[]): Promise<Map<string, string>> {
  const found = await readObjects(
    place,
    names.map((name) => `${name}^{commit}`),
  );
  return new Map(names.flatMap((name, index) => (found[index] ? [[name, found[index].id] as const] : [])));
}

/** Those of the commits that `ancestorOf` holds. One git process. */
export async function ancestorsAmong(
  place: GitPlace,
  ids: readonly string[],
  ancestorOf: string,
): Promise<Set<string>> {
  if (ids.length === 0) return new Set();
  const { text } = await git(place, ['rev-list', '--stdin'], { input: `${ids.join('\n')}\n^${ancestorOf}\n` });
  const outside = new Set(text.split('\n'));
  return new Set(ids.filter((id) => !outside.has(id)));
}

/** A commit that all of these hold, as late as git finds one; null when there is none. */
export async function commonAncestor(place: GitPlace, ids: readonly string[]): Promise<string | null> {
  const distinct = [...new Set(ids)];
  if (distinct.length < 2) return distinct[0] ?? null;
  const line = await gitLine(place, ['merge-base', '--octopus', ...distinct], { allow: [1] });
  return line === '' ? null : line;
}
