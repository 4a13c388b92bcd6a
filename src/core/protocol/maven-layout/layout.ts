import { createHash } from 'node:crypto';
import { readVersion } from '../../version/loose-version.ts';
import { pointerFor } from '../../version/pointer.ts';
import {
  type IndexChange,
  type Layout,
  type LayoutFile,
  type LayoutItem,
  type LayoutParcel,
  type LayoutSubject,
  type LayoutView,
  noPlace,
  notAnIndex,
  plainLayout,
} from '../layout.ts';
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
  type VersionMetadata,
  withoutVersion,
  withVersion,
} from './maven-layout.ts';

const digests = ['sha1', 'md5', 'sha256', 'sha512'] as const;
const metadataName = 'maven-metadata.xml';

/** Maven's default layout of a repository, with metadata of versions and of snapshots, and digests beside every file. */
export const mavenFiles: Layout = {
  ...plainLayout,
  besideEndings: digests.map((name) => `.${name}`),
  index: (subject, view) => `${artifactFolder(coordinatesIn(subject, view))}${metadataName}`,
  spelt: ({ version, spellings }) => spellings.maven ?? version,
  asVersion: (spelt) => readVersion(spelt, { parts: 1, prerelease: 'maven', separator: '.' }),
  read: (text) =>
    parseVersionMetadata(text)?.versions.map((version) => ({ version, files: null, withdrawn: null })) ?? null,
  folder: ({ name }, version) => {
    const coordinates = coordinatesOf(name, version);
    return coordinates === null ? null : `${artifactFolder(coordinates)}${version}/`;
  },
  home: (subject, view) => artifactFolder(coordinatesIn(subject, view)),
  stateAt: (subject, view) => (view.config.snapshots ? snapshotMetadata(coordinatesIn(subject, view)) : null),
  place: (item, view, state) => {
    const coordinates = coordinatesIn(item, view);
    if (!('form' in item)) return placeByName(item, coordinates, view);
    const stamp = view.config.snapshots ? stampFor(state, item.sourceTime) : null;
    return filePath(coordinates, kindOf(item, coordinates), stamp);
  },
  beside: (_parcel, place) => digests.map((digest) => ({ path: `${place}.${digest}`, content: { digest } })),
  list: (parcels, places, view) => {
    const [parcel] = parcels;
    if (parcel === undefined) return [];
    const coordinates = coordinatesIn(parcel, view);
    const snapshots = view.config.snapshots ? [snapshotChange(parcels, places, view)] : [];
    const path = `${artifactFolder(coordinates)}${metadataName}`;
    return [
      ...snapshots,
      {
        path,
        change: (before) => {
          const known = before === null ? null : metadataIn(before, path, view);
          // Repositories spell prereleases otherwise than SemVer; only releases compare, and only they move the pointer.
          const isHighest =
            view.config.snapshots || pointerFor(parcel.version, parcel.stream, known?.versions ?? []) === 'latest';
          const after = withVersion(known, { version: coordinates.version, isHighest, at: view.now });
          return after === known ? null : formatVersionMetadata(coordinates, after);
        },
        follow: (text) => digestsOf(path, text),
        pointer: (before) => ({
          pointer: metadataName,
          from: before === null ? null : (parseVersionMetadata(before)?.release ?? null),
        }),
      },
    ];
  },
  takeBack: (subject, { places }, view) => ({
    changes: dropping(subject, new Set([subject.spellings.maven ?? subject.version]), view),
    removes: places.flatMap((place) => [place, ...digests.map((digest) => `${place}.${digest}`)]),
    how: 'deleted',
    limits: 'machines that have it in their local repository keep it',
  }),
  drop: dropping,
  fallBack: (subject, to, view) => {
    const [own, other] = [coordinatesIn(subject, view), coordinatesIn(to, view)];
    const change = changeMetadata(own, view, (known, path) => {
      if (!known.versions.includes(other.version)) throw notAnIndex(view, path, `does not list ${other.version}`);
      const instead = (version: string | null) => (version === own.version ? other.version : version);
      const [latest, release] = [instead(known.latest), instead(known.release)];
      if (latest === known.latest && release === known.release) return known;
      return { ...known, latest, release, lastUpdated: metadataTime(view.now).plain };
    });
    return [{ ...change, pointer: () => ({ pointer: metadataName, from: subject.version }) }];
  },
  // A repository may refuse a path that is not in the layout.
  probePath: (name, subject, view) => {
    const coordinates = coordinatesIn(subject, view);
    const version = `${name}${view.config.snapshots ? '-SNAPSHOT' : ''}`;
    return `${artifactFolder(coordinates)}${version}/${coordinates.artifactId}-${version}.txt`;
  },
  refersTo: () => null,
};

/** @throws DESTINATION_REFUSED for a snapshot at a repository of releases, and the other way round. */
function coordinatesIn(subject: LayoutSubject, view: LayoutView): Coordinates {
  const { snapshots } = view.config;
  const version = subject.spellings.maven ?? subject.version;
  const coordinates = coordinatesOf(subject.name, version);
  if (coordinates === null)
    throw noPlace(view, subject, { why: 'its name is not groupId:artifactId', fix: 'Give the POM a groupId' });
  if (isSnapshot(version) === snapshots) return coordinates;
  throw noPlace(
    view,
    { ...subject, version },
    {
      why: snapshots ? 'it is for snapshots alone' : 'it is for releases, and a snapshot changes its bytes',
      fix: `Send it to a destination with \`snapshots: ${String(!snapshots)}\``,
    },
  );
}

function snapshotMetadata(coordinates: Coordinates): string {
  return `${artifactFolder(coordinates)}${coordinates.version}/${metadataName}`;
}

/** Where a file of this name is, when nothing but its name is known. @throws DESTINATION_REFUSED */
function placeByName(item: LayoutItem, coordinates: Coordinates, view: LayoutView): string {
  const { artifactId, version } = coordinates;
  if (item.fileName.startsWith(`${artifactId}-`) && !/[/\\]/.test(item.fileName))
    return `${artifactFolder(coordinates)}${version}/${item.fileName}`;
  throw noPlace(view, item, {
    why: `${item.fileName} is not a file of ${artifactId}`,
    fix: 'Check the record of the release',
  });
}

/** A snapshot's number: the one it has there already, else the next; its time is that of its commit. */
function stampFor(state: string | null, sourceTime: number): SnapshotStamp {
  const known = state === null ? null : parseSnapshotMetadata(state);
  const timestamp = metadataTime(new Date(sourceTime * 1000)).dotted;
  const own = known?.files.map(({ value }) => new RegExp(`${timestamp}-(\\d+)$`).exec(value)?.[1]).find(Boolean);
  return { timestamp, buildNumber: own === undefined ? (known?.buildNumber ?? 0) + 1 : Number(own) };
}

function snapshotChange(parcels: readonly LayoutParcel[], places: readonly string[], view: LayoutView): IndexChange {
  const [parcel] = parcels;
  if (parcel === undefined) throw new Error('a release without artifacts is never listed');
  const coordinates = coordinatesIn(parcel, view);
  const path = snapshotMetadata(coordinates);
  // The stamp is in the names that the files have by now.
  const [, timestamp = '', build = '1'] = /-(\d{8}\.\d{6})-(\d+)[.-]/.exec(places[0] ?? '') ?? [];
  const stamp = { timestamp, buildNumber: Number(build) };
  const updated = timestamp.replace('.', '');
  const files = parcels.map((parcel) => {
    const kind = kindOf(parcel, coordinates);
    return { ...kind, value: stampedVersion(coordinates.version, stamp), updated };
  });
  return {
    path,
    change: (before) => {
      const known = before === null ? null : parseSnapshotMetadata(before);
      if (before !== null && known === null) throw notAnIndex(view, path, 'is not valid metadata');
      // A later one was built meanwhile: that one stays what readers get.
      if (known !== null && known.buildNumber >= stamp.buildNumber) return null;
      return formatSnapshotMetadata(coordinates, { ...stamp, lastUpdated: updated, files });
    },
    follow: (text) => digestsOf(path, text),
  };
}

/** Digests of a metadata file follow it at once; a reader that comes in between asks again. */
function digestsOf(path: string, text: string): LayoutFile[] {
  return digests.map((name) => ({
    path: `${path}.${name}`,
    content: { text: createHash(name).update(text).digest('hex') },
  }));
}

function metadataIn(text: string, path: string, view: LayoutView): VersionMetadata {
  const known = parseVersionMetadata(text);
  if (known === null) throw notAnIndex(view, path, 'is not valid metadata');
  return known;
}

function changeMetadata(
  coordinates: Coordinates,
  view: LayoutView,
  change: (known: VersionMetadata, path: string) => VersionMetadata,
): IndexChange {
  const path = `${artifactFolder(coordinates)}${metadataName}`;
  return {
    path,
    change: (before) => {
      if (before === null) return null;
      const known = metadataIn(before, path, view);
      const after = change(known, path);
      return after === known ? null : formatVersionMetadata(coordinates, after);
    },
    follow: (text) => digestsOf(path, text),
  };
}

function dropping(subject: LayoutSubject, gone: ReadonlySet<string>, view: LayoutView): IndexChange[] {
  const change = (known: VersionMetadata) =>
    [...gone]
      .filter((version) => known.versions.includes(version))
      .reduce((metadata, version) => withoutVersion(metadata, version, view.now), known);
  return [changeMetadata(coordinatesIn(subject, view), view, change)];
}
