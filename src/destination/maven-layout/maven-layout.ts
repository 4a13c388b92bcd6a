import { createHash } from 'node:crypto';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import {
  artifactFolder,
  type Coordinates,
  coordinatesOf,
  filePath,
  formatSnapshotMetadata,
  formatVersionMetadata,
  isSnapshot,
  kindOf,
  metadataTime,
  parseSnapshotMetadata,
  parseVersionMetadata,
  type SnapshotStamp,
  stampedVersion,
  withoutVersion,
  withVersion,
} from '../../core/protocol/maven-layout/maven-layout.ts';
import { withSlash } from '../../core/protocol/traits.ts';
import { pointerFor } from '../../core/version/pointer.ts';
import { type Connection, webOf } from '../../store/connection.ts';
import {
  changeRemoteText,
  deleteAt,
  ensureRemoteText,
  presenceAt,
  putParcel,
  readRemoteText,
} from '../../store/http-files.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import { callText, notThisProtocol, openAddress, unexpectedAnswer, type Web } from '../../store/web.ts';
import { accessByFile } from '../../store/written-access.ts';
import { hashFile } from '../../world/file-bytes.ts';
import {
  type Destination,
  makeDestination,
  type Pointed,
  type Sending,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';

/** What is known of a repository; `base` ends with a slash. */
type Repository = {
  readonly web: Web;
  readonly base: string;
  /** Whether it takes snapshots only. */
  readonly snapshots: boolean;
  readonly now: () => Date;
};

/** A repository in the layout that Maven reads. */
export function connectMavenLayout(connection: Connection): Destination {
  const { name, config, now } = connection;
  const base = withSlash(connection.url);
  const repository: Repository = { web: webOf(connection), base, snapshots: config.snapshots, now };
  return makeDestination({ name, speaks: config.speaks, url: base }, repository, {
    access,
    nameState,
    find,
    deliver,
    open: ({ web }, address) => openAddress(web, address),
    isListed,
    point,
    fallBack,
    withdraw,
  });
}

function metadataAt({ base }: Repository, folder: string) {
  return `${base}${folder}maven-metadata.xml`;
}

/** @throws DESTINATION_REFUSED for a snapshot at a repository of releases, and the other way round. */
function placeOf({ snapshots, web }: Repository, subject: Subject): Coordinates {
  const version = subject.spellings.maven ?? subject.version;
  const coordinates = coordinatesOf(subject.name, version);
  if (coordinates !== null && isSnapshot(version) === snapshots) return coordinates;
  throw new BevelstoneError('DESTINATION_REFUSED', {
    message: `${web.name} does not accept ${subject.name} ${version}`,
    why:
      coordinates === null
        ? 'its name is not groupId:artifactId'
        : snapshots
          ? 'it is for snapshots alone'
          : 'it is for releases, and a snapshot changes its bytes',
    fix:
      coordinates === null
        ? 'Give the POM a groupId'
        : `Send it to a destination with \`snapshots: ${String(!snapshots)}\``,
  });
}

/** A snapshot's number: the one it has there already, else the next; its time is that of its commit. */
async function stampFor(
  repository: Repository,
  coordinates: Coordinates,
  sourceTime: number,
): Promise<SnapshotStamp | null> {
  const { snapshots, web } = repository;
  if (!snapshots) return null;
  const { text } = await readRemoteText(
    web,
    metadataAt(repository, `${artifactFolder(coordinates)}${coordinates.version}/`),
  );
  const known = text === null ? null : parseSnapshotMetadata(text);
  const timestamp = metadataTime(new Date(sourceTime * 1000)).dotted;
  const own = known?.files.map(({ value }) => new RegExp(`${timestamp}-(\\d+)$`).exec(value)?.[1]).find(Boolean);
  return { timestamp, buildNumber: own === undefined ? (known?.buildNumber ?? 0) + 1 : Number(own) };
}

async function addressOf(repository: Repository, parcel: Parcel): Promise<string> {
  const { base } = repository;
  const coordinates = placeOf(repository, parcel);
  const stamp = await stampFor(repository, coordinates, parcel.sourceTime);
  return `${base}${filePath(coordinates, kindOf(parcel.form, parcel.fileName, parcel.platform), stamp)}`;
}

async function find(repository: Repository, parcel: Parcel): Promise<Presence> {
  const { web } = repository;
  return presenceAt(web, await addressOf(repository, parcel), parcel);
}

async function deliver(repository: Repository, parcel: Parcel, { moved }: Sending): Promise<string> {
  const { web } = repository;
  const address = await addressOf(repository, parcel);
  await putParcel({ web, url: address, parcel, moved });
  return address;
}

/** Digests of a metadata file follow it at once; a reader that comes in between asks again. */
function writeDigests({ web }: Repository, address: string) {
  return async (text: string) => {
    for (const name of ['md5', 'sha1', 'sha256', 'sha512'])
      await ensureRemoteText(web, `${address}.${name}`, createHash(name).update(text).digest('hex'));
  };
}

async function point(repository: Repository, all: readonly Parcel[]): Promise<Pointed[]> {
  const { web, now } = repository;
  const [parcel] = all;
  if (parcel === undefined) return [];
  for (const parcel of all) {
    const own = await addressOf(repository, parcel);
    const digests = {
      sha1: parcel.sha1,
      md5: await hashFile(parcel.file, 'md5'),
      sha256: parcel.sha256,
      sha512: parcel.sha512,
    };
    for (const [name, digest] of Object.entries(digests)) await ensureRemoteText(web, `${own}.${name}`, digest);
  }
  const coordinates = placeOf(repository, parcel);
  const stamp = await stampFor(repository, coordinates, parcel.sourceTime);
  if (stamp !== null) await pointSnapshot(repository, { coordinates, stamp, all });
  const address = metadataAt(repository, artifactFolder(coordinates));
  let from: string | null = null;
  const change = (text: string | null) => {
    const before = text === null ? null : parseVersionMetadata(text);
    if (text !== null && before === null)
      throw unexpectedAnswer(web.name, 'its maven-metadata.xml is not valid metadata', address);
    from = before?.release ?? null;
    // Repositories spell prereleases otherwise than SemVer; only releases compare, and only they move the pointer.
    const isHighest = stamp !== null || pointerFor(parcel.version, parcel.stream, before?.versions ?? []) === 'latest';
    const after = withVersion(before, { version: coordinates.version, isHighest, at: now() });
    return after === before ? null : formatVersionMetadata(coordinates, after);
  };
  const moved = await changeRemoteText({ web, url: address, change, written: writeDigests(repository, address) });
  return [{ pointer: 'maven-metadata.xml', from: moved ? from : null, moved }];
}

async function fallBack(repository: Repository, subject: Subject, to: Subject): Promise<Pointed[]> {
  const { web, now } = repository;
  const [own, other] = [placeOf(repository, subject), placeOf(repository, to)];
  const address = metadataAt(repository, artifactFolder(own));
  const change = (text: string | null) => {
    const before = text === null ? null : parseVersionMetadata(text);
    if (before === null || !before.versions.includes(other.version))
      throw unexpectedAnswer(web.name, `maven-metadata.xml does not list ${other.version}`, address);
    const instead = (version: string | null) => (version === own.version ? other.version : version);
    const [latest, release] = [instead(before.latest), instead(before.release)];
    if (latest === before.latest && release === before.release) return null;
    return formatVersionMetadata(own, { ...before, latest, release, lastUpdated: metadataTime(now()).plain });
  };
  const moved = await changeRemoteText({ web, url: address, change, written: writeDigests(repository, address) });
  return moved ? [{ pointer: 'maven-metadata.xml', from: subject.version, moved }] : [];
}

async function pointSnapshot(
  repository: Repository,
  {
    coordinates,
    stamp,
    all,
  }: { readonly coordinates: Coordinates; readonly stamp: SnapshotStamp; readonly all: readonly Parcel[] },
): Promise<void> {
  const { web } = repository;
  const address = metadataAt(repository, `${artifactFolder(coordinates)}${coordinates.version}/`);
  const updated = stamp.timestamp.replace('.', '');
  const files = all.map((parcel) => {
    const kind = kindOf(parcel.form, parcel.fileName, parcel.platform);
    return { ...kind, value: stampedVersion(coordinates.version, stamp), updated };
  });
  const change = (text: string | null) => {
    const before = text === null ? null : parseSnapshotMetadata(text);
    // A later one was built meanwhile: that one stays what readers get.
    if (before !== null && before.buildNumber >= stamp.buildNumber) return null;
    return formatSnapshotMetadata(coordinates, { ...stamp, lastUpdated: updated, files });
  };
  await changeRemoteText({ web, url: address, change, written: writeDigests(repository, address) });
}

async function isListed(repository: Repository, parcel: ListedParcel): Promise<string | true> {
  const { web } = repository;
  const coordinates = placeOf(repository, parcel);
  const { text } = await readRemoteText(web, metadataAt(repository, artifactFolder(coordinates)));
  const known = text === null ? null : parseVersionMetadata(text);
  return known?.versions.includes(coordinates.version) || `maven-metadata.xml does not list ${coordinates.version} yet`;
}

/** An authenticated read of the list of versions; and with `mayWrite` a small file that comes and goes. */
async function access(repository: Repository, subject: Subject, { mayWrite }: Asking): Promise<Access> {
  const { web, base, snapshots } = repository;
  const coordinates = placeOf(repository, subject);
  const folder = artifactFolder(coordinates);
  const read = await callText(web, { method: 'GET', url: metadataAt(repository, folder) });
  if (read.status === 200 && parseVersionMetadata(read.text) === null)
    throw notThisProtocol(web, { asked: base, answer: read, expected: 'its maven-metadata.xml is not valid metadata' });
  // A repository may refuse a path that is not in the layout.
  const fileFor = (name: string) => {
    const version = `${name}${snapshots ? '-SNAPSHOT' : ''}`;
    return `${folder}${version}/${coordinates.artifactId}-${version}.txt`;
  };
  return accessByFile({ web, base, fileFor, mayWrite }, read);
}

async function nameState(repository: Repository, subject: Subject): Promise<NameState> {
  const { web, snapshots } = repository;
  const coordinates = placeOf(repository, subject);
  const { text } = await readRemoteText(web, metadataAt(repository, artifactFolder(coordinates)));
  const known = text === null ? null : parseVersionMetadata(text);
  if (known === null) return { nameState: 'free', versionState: 'free', why: null } as const;
  const isThere = !snapshots && known.versions.includes(coordinates.version);
  return { nameState: 'unknown', versionState: isThere ? 'there' : 'free', why: null } as const;
}

async function withdraw(repository: Repository, subject: Subject, { delivered }: WithdrawOrder): Promise<Withdrawal> {
  const { base, web, now } = repository;
  const coordinates = placeOf(repository, subject);
  const folder = `${base}${artifactFolder(coordinates)}${coordinates.version}/`;
  for (const { address } of delivered) {
    // An address on record could name any other file.
    if (!address.startsWith(folder) || /[/?#]/.test(address.slice(folder.length)))
      throw notOfRelease(web.name, address);
    for (const ending of ['', '.md5', '.sha1', '.sha256', '.sha512']) await deleteAt(web, `${address}${ending}`);
  }
  const address = metadataAt(repository, artifactFolder(coordinates));
  const change = (text: string | null) => {
    const before = text === null ? null : parseVersionMetadata(text);
    if (before === null || !before.versions.includes(coordinates.version)) return null;
    return formatVersionMetadata(coordinates, withoutVersion(before, coordinates.version, now()));
  };
  await changeRemoteText({ web, url: address, change, written: writeDigests(repository, address) });
  return { how: 'deleted', limits: 'machines that have it in their local repository keep it' };
}

function notOfRelease(destination: string, address: string): BevelstoneError {
  return new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
    message: `${address} at ${destination} was not deleted`,
    why: 'it is not in the folder of this release, although the ledger lists it',
    fix: 'Delete its files yourself; to see which were released: bevelstone ledger show PACKAGE@VERSION',
  });
}
