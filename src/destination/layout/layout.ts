import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { layoutNamed } from '../../core/name/protocol.ts';
import {
  type IndexChange,
  type IndexedVersion,
  isBelow,
  type Layout,
  type LayoutFile,
  type LayoutView,
} from '../../core/protocol/layout.ts';
import { layoutRules } from '../../core/protocol/layouts.ts';
import { withSlash } from '../../core/protocol/traits.ts';
import { compareVersions, isNormal } from '../../core/version/version.ts';
import { changeText } from '../../store/change-text.ts';
import type { Connection } from '../../store/connection.ts';
import { storeOpeners } from '../../store/openers.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import type { Store } from '../../store/store.ts';
import { hashFile } from '../../world/file-bytes.ts';
import {
  type Destination,
  makeDestination,
  type Pointed,
  type Sending,
  type Tidied,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';

/** A repository: the rules of its layout, and the store that has its files. */
type Repository = {
  readonly layout: Layout;
  readonly store: Store;
  readonly about: Omit<LayoutView, 'now'>;
  readonly now: () => Date;
  /** How many prereleases stay listed; null for all. */
  readonly keptPrereleases: number | null;
};

/** A repository in a layout of files, at any store: artifacts first, what lies beside them next, indexes last. */
export async function connectLayout(connection: Connection): Promise<Destination> {
  const { name, config, indexUrl, now } = connection;
  const layoutName = layoutNamed(config.speaks);
  if (layoutName === null || config.over === null) throw new Error(`${config.speaks} is no layout`);
  const layout = layoutRules[layoutName];
  const store = (await storeOpeners[config.over]())(connection);
  if (layout.needsBase && indexUrl === null && !/^https?:/.test(store.readerBase)) throw noReaderAddress(name);
  const base = withSlash(new URL(indexUrl ?? store.readerBase).href);
  const repository: Repository = {
    layout,
    store,
    about: { destination: name, base, config },
    now,
    keptPrereleases: config.keep?.prereleases ?? null,
  };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url: indexUrl ?? store.url }, repository, {
    access,
    nameState,
    find,
    deliver,
    open: (_repository, address) => store.open(address),
    isListed,
    point,
    tidy,
    fallBack,
    withdraw,
  });
}

function viewOf({ about, now }: Repository): LayoutView {
  return { ...about, now: now() };
}

async function placeOf(repository: Repository, parcel: Parcel): Promise<string> {
  const { layout, store } = repository;
  const view = viewOf(repository);
  const state = layout.stateAt(parcel, view);
  return layout.place(parcel, view, state === null ? null : (await store.read(state)).text);
}

async function find(repository: Repository, parcel: Parcel): Promise<Presence> {
  return repository.store.presence(await placeOf(repository, parcel), parcel);
}

async function deliver(repository: Repository, parcel: Parcel, { moved }: Sending): Promise<string> {
  const { store } = repository;
  const place = await placeOf(repository, parcel);
  await store.send(place, parcel, moved);
  return store.addressOf(place);
}

/** Versions that the index of a package lists; null where there is no index. @throws DESTINATION_ANSWER */
async function readIndex(repository: Repository, subject: Subject): Promise<readonly IndexedVersion[] | null> {
  const { layout, store } = repository;
  const view = viewOf(repository);
  const path = layout.index(subject, view);
  const { text } = await store.read(path);
  if (text === null) return null;
  const versions = layout.read(text, subject, view);
  if (versions !== null) return versions;
  throw new BevelstoneError('DESTINATION_ANSWER', {
    message: `${view.destination} did not answer as its protocol requires`,
    why: `${path} is not an index of this layout`,
    fix: `Check the address: ${view.base}`,
  });
}

async function isListed(repository: Repository, parcel: ListedParcel): Promise<string | true> {
  const { layout } = repository;
  const view = viewOf(repository);
  const path = layout.index(parcel, view);
  const found = (await readIndex(repository, parcel))?.find(({ version }) => version === layout.spelt(parcel));
  if (found === undefined) return `${path} does not list ${layout.spelt(parcel)} yet`;
  if (found.withdrawn !== null) return `it is withdrawn${found.withdrawn === '' ? '' : `: ${found.withdrawn}`}`;
  const isThere = found.files === null || found.files.includes(layout.place(parcel, view, null));
  return isThere || `${path} does not list ${parcel.fileName} yet`;
}

/** Beside each artifact what belongs to it, then the indexes, each read, changed and written on the condition that it is the same. */
function point(repository: Repository, all: readonly Parcel[]): Promise<Pointed[]> {
  return repository.store.together(() => listAll(repository, all));
}

async function listAll(repository: Repository, all: readonly Parcel[]): Promise<Pointed[]> {
  const { layout } = repository;
  const view = viewOf(repository);
  const places: string[] = [];
  for (const parcel of all) {
    const place = await placeOf(repository, parcel);
    places.push(place);
    await Promise.all(layout.beside(parcel, place, view).map((file) => writeBeside(repository, file, parcel)));
  }
  return changeAll(repository, layout.list(all, places, view));
}

async function writeBeside({ store }: Repository, { path, content }: LayoutFile, parcel: Parcel | null): Promise<void> {
  if ('text' in content) return store.ensure(path, content.text);
  if ('make' in content) {
    const { text } = await store.read(path);
    return text !== null && content.isMade(text) ? undefined : store.ensure(path, content.make());
  }
  if (parcel === null) throw new Error('only what lies beside an artifact has its digest');
  const { digest } = content;
  return store.ensure(path, digest === 'md5' ? await hashFile(parcel.file, 'md5') : parcel[digest]);
}

async function changeAll(repository: Repository, changes: readonly IndexChange[]): Promise<Pointed[]> {
  const pointed: Pointed[] = [];
  for (const { path, change, follow = () => [], pointer, isOver = () => false } of changes) {
    const { store, about } = repository;
    let before: string | null = null;
    const { isChanged, text } = await changeText({
      what: `${path} at ${about.destination}`,
      read: () => store.read(path),
      write: (text, there) => {
        before = there.text;
        return store.write(path, text, there);
      },
      change,
      isAlone: store.isAlone(),
      follow: async (text) => {
        const files = [...folderPage(store, path, text), ...follow(text)];
        await Promise.all(files.map((file) => writeBeside(repository, file, null)));
      },
    });
    if (text !== null && isOver(text)) await store.remove(path);
    const found = pointer?.(before) ?? null;
    if (found !== null) pointed.push({ ...found, from: isChanged ? found.from : null, moved: isChanged });
  }
  return pointed;
}

/** The page of a folder under the folder's own path, for stores that serve no page there. */
function folderPage({ needsFolderPages }: Store, path: string, text: string): LayoutFile[] {
  const folder = path.replace(/(^|\/)index\.html$/, '$1');
  return needsFolderPages && folder !== path ? [{ path: folder, content: { text } }] : [];
}

/** Removes prereleases beyond those that are kept: never a stable version, never the one that was just released. */
async function tidy(repository: Repository, subject: Subject): Promise<Tidied> {
  const { keptPrereleases, store } = repository;
  return keptPrereleases === null
    ? { versions: [], whyFilesStay: null }
    : store.together(() => keepOnly(repository, subject, keptPrereleases));
}

async function keepOnly(repository: Repository, subject: Subject, keptPrereleases: number): Promise<Tidied> {
  const { layout } = repository;
  const view = viewOf(repository);
  const listed = (await readIndex(repository, subject)) ?? [];
  const prereleases = listed.flatMap((entry) => {
    const version = layout.asVersion(entry.version);
    return version === null || isNormal(version) ? [] : [{ ...entry, semver: version }];
  });
  const [old, oldSpelt] = [new Set<string>(), new Set<string>()];
  prereleases.sort((a, b) => compareVersions(b.semver, a.semver));
  for (const entry of prereleases.slice(keptPrereleases)) {
    if (entry.version === layout.spelt(subject)) continue;
    old.add(entry.semver);
    oldSpelt.add(entry.version);
  }
  if (old.size === 0) return { versions: [], whyFilesStay: null };
  await changeAll(repository, layout.drop(subject, oldSpelt, view));
  // An index can name any file, also one of another package or of a version that stays.
  const home = layout.home(subject, view);
  const kept = new Set(listed.flatMap(({ version, files }) => (oldSpelt.has(version) ? [] : (files ?? []))));
  const gone: string[] = [];
  for (const { version, files } of listed.filter((entry) => oldSpelt.has(entry.version))) {
    const all = files ?? (await filesIn(repository, layout.folder(subject, version)));
    if (all === null) return { versions: [...old], whyFilesStay: 'the server does not list folders' };
    for (const file of all) if (isBelow(home, file) && !kept.has(file)) gone.push(file);
  }
  return { versions: [...old], whyFilesStay: await whyNotRemoved(repository, gone) };
}

/** Files of a version that its index does not name; null where the store does not list them. */
async function filesIn({ store }: Repository, folder: string | null): Promise<string[] | null> {
  if (folder === null) return [];
  return (await store.list(folder))?.map((name) => `${folder}${name}`) ?? null;
}

/** Removes files with what lies beside them. @returns why they stay, where the store removes nothing; null otherwise. */
async function whyNotRemoved({ store, layout }: Repository, files: readonly string[]): Promise<string | null> {
  const all = files.flatMap((file) => [file, ...layout.besideEndings.map((ending) => besideOf(file, ending))]);
  try {
    for (const file of new Set(all)) await store.remove(file);
    return null;
  } catch (error) {
    // The release itself is done.
    if (isBevelstoneError(error, 'WITHDRAW_IMPOSSIBLE')) return error.why;
    throw error;
  }
}

/** An ending behind the whole name, or in place of its own where the layout has it so. */
function besideOf(file: string, ending: string): string {
  return ending.startsWith('~') ? file.replace(/\.[^.]+$/, ending.slice(1)) : `${file}${ending}`;
}

async function fallBack(repository: Repository, subject: Subject, to: Subject): Promise<Pointed[]> {
  const { layout, store } = repository;
  const changes = layout.fallBack(subject, to, viewOf(repository));
  return (await store.together(() => changeAll(repository, changes))).filter(({ moved }) => moved);
}

async function access(repository: Repository, subject: Subject, { mayWrite, lists }: Asking): Promise<Access> {
  const { layout, store } = repository;
  const view = viewOf(repository);
  const known = layout.index(subject, view);
  const whyStrange = (text: string) =>
    text === '' || layout.read(text, subject, view) !== null ? null : `its ${known} is not an index of this layout`;
  const fileFor = (name: string) => layout.probePath(name, subject, view);
  return store.access({ known, whyStrange, fileFor, mayWrite, lists });
}

async function nameState(repository: Repository, subject: Subject): Promise<NameState> {
  const { layout, about } = repository;
  const found = await readIndex(repository, subject);
  if (found === null) return { nameState: 'free', versionState: 'free', why: null };
  const isThere = !about.config.snapshots && found.some(({ version }) => version === layout.spelt(subject));
  return { nameState: 'unknown', versionState: isThere ? 'there' : 'free', why: null };
}

async function withdraw(
  repository: Repository,
  subject: Subject,
  { delivered, erase, reason }: WithdrawOrder,
): Promise<Withdrawal> {
  const { store, layout } = repository;
  const view = viewOf(repository);
  const folder = layout.folder(subject, layout.spelt(subject));
  const places = delivered.map(({ artifact, address, sha256 }) => {
    const path = store.pathAt(address);
    const isOwn =
      folder === null
        ? path === layout.place({ ...subject, fileName: artifact, sha256 }, view, null)
        : path.startsWith(folder) && !path.slice(folder.length).includes('/');
    // An address on record could name any other file.
    if (!isOwn) throw notOfRelease(view.destination, address);
    return path;
  });
  const { changes, removes, how, limits } = layout.takeBack(subject, { erase, reason, places }, view);
  return store.together(async () => {
    // Indexes first: they list nothing that is not there.
    await changeAll(repository, changes);
    for (const path of removes) await store.remove(path);
    return { how, limits };
  });
}

function notOfRelease(destination: string, address: string): BevelstoneError {
  return new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
    message: `${address} at ${destination} was not deleted`,
    why: 'it is not in the folder of this release, although the ledger lists it',
    fix: 'Delete its files yourself; to see which were released: bevelstone ledger show PACKAGE@VERSION',
  });
}

function noReaderAddress(name: string): BevelstoneError {
  return new BevelstoneError('CONFIG_INVALID', {
    message: `${name} needs an address for its readers`,
    why: 'the indexes of this layout name files by whole addresses, and a folder has none',
    fix: `Set \`index-url\` of ${name} to the address that the folder is served at`,
    where: { file: 'bevelstone.yaml' },
  });
}
