import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { parseXml } from '../../manifest/xml.ts';
import { escapeHtml } from '../../text/html.ts';

// The layout of Maven repositories and its metadata ("Maven Repository Metadata", model 1.1.0; "Repository layout: default").

/** Group, artifact and version. */
export type Coordinates = { readonly groupId: string; readonly artifactId: string; readonly version: string };

/** Splits `group:artifact`. @returns null when the name has no colon. */
export function coordinatesOf(name: string, version: string): Coordinates | null {
  const [groupId, artifactId, ...rest] = name.split(':');
  if (!groupId || !artifactId || rest.length > 0) return null;
  return { groupId, artifactId, version };
}

/** Whether a version is a snapshot: it stands for whatever was built last. */
export function isSnapshot(version: string): boolean {
  return version.endsWith('-SNAPSHOT');
}

/** The folder of all versions, with `/` behind. */
export function artifactFolder({ groupId, artifactId }: Coordinates): string {
  return `${groupId.replaceAll('.', '/')}/${artifactId}/`;
}

/** Classifier and extension that the layout has for a form; of another form the ending of its name. */
const kinds: Readonly<Record<string, { readonly classifier: string; readonly extension: string }>> = {
  jar: { classifier: '', extension: 'jar' },
  'sources-jar': { classifier: 'sources', extension: 'jar' },
  'documentation-jar': { classifier: 'javadoc', extension: 'jar' },
  war: { classifier: '', extension: 'war' },
  ear: { classifier: '', extension: 'ear' },
  pom: { classifier: '', extension: 'pom' },
  spdx: { classifier: '', extension: 'spdx.json' },
  cyclonedx: { classifier: 'cyclonedx', extension: 'json' },
};

/** Classifier ('' for none) and extension of a file: a name that goes on behind the version has a classifier of its own. */
export function kindOf(
  { form, fileName, platform }: { readonly form: string; readonly fileName: string; readonly platform: string | null },
  { artifactId, version }: Coordinates,
): { classifier: string; extension: string } {
  const known = kinds[form];
  const lead = `${artifactId}-${version}-`;
  if (known !== undefined) {
    const own = fileName.startsWith(lead) ? fileName.slice(lead.length) : '';
    const isOwn = known.classifier === '' && own.endsWith(`.${known.extension}`);
    return isOwn ? { ...known, classifier: own.slice(0, -known.extension.length - 1) } : known;
  }
  return { classifier: platform ?? '', extension: /\.(tar\.[a-z0-9]+|[a-z0-9]+)$/i.exec(fileName)?.[1] ?? 'bin' };
}

/** A snapshot's own time and number: they stand in its files' names instead of `SNAPSHOT`. */
export type SnapshotStamp = { readonly timestamp: string; readonly buildNumber: number };

/** Path of a file below the repository. */
export function filePath(
  coordinates: Coordinates,
  kind: { readonly classifier: string; readonly extension: string },
  stamp: SnapshotStamp | null,
): string {
  const { artifactId, version } = coordinates;
  const inName = stamp === null ? version : stampedVersion(version, stamp);
  const classifier = kind.classifier === '' ? '' : `-${kind.classifier}`;
  return `${artifactFolder(coordinates)}${version}/${artifactId}-${inName}${classifier}.${kind.extension}`;
}

/** `1.5.0-20261123.080000-4` */
export function stampedVersion(version: string, { timestamp, buildNumber }: SnapshotStamp): string {
  return version.replace(/SNAPSHOT$/, `${timestamp}-${buildNumber}`);
}

/** A time as the metadata writes it: `yyyyMMddHHmmss`, and with a dot in the middle for snapshots. UTC. */
export function metadataTime(at: Date): { readonly plain: string; readonly dotted: string } {
  const digits = at.toISOString().replace(/\D/g, '').slice(0, 14);
  return { plain: digits, dotted: `${digits.slice(0, 8)}.${digits.slice(8)}` };
}

/** What the metadata of an artifact says of its versions. */
export type VersionMetadata = {
  readonly latest: string | null;
  readonly release: string | null;
  readonly versions: readonly string[];
  readonly lastUpdated: string;
};

/** What the metadata of a snapshot says of its builds. */
export type SnapshotMetadata = SnapshotStamp & {
  readonly lastUpdated: string;
  readonly files: readonly {
    readonly classifier: string;
    readonly extension: string;
    readonly value: string;
    readonly updated: string;
  }[];
};

/** The `versioning` of a metadata document; null when the text is none. */
function versioningOf(text: string): Readonly<Record<string, unknown>> | null {
  try {
    const { metadata } = parseXml(text, 'maven-metadata.xml', { processEntities: true });
    return typeof metadata === 'object' ? objectOf(objectOf(metadata)['versioning']) : null;
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return null;
  }
}

function listOf(value: unknown): unknown[] {
  return Array.isArray(value) ? value : value === undefined ? [] : [value];
}

/** Reads the metadata of an artifact; null when the text is none. */
export function parseVersionMetadata(text: string): VersionMetadata | null {
  const versioning = versioningOf(text);
  if (versioning === null) return null;
  const versions = listOf(objectOf(versioning['versions'])['version']).filter((item) => typeof item === 'string');
  return {
    latest: textOf(versioning['latest']),
    release: textOf(versioning['release']),
    versions,
    lastUpdated: textOf(versioning['lastUpdated']) ?? '',
  };
}

/** Reads the metadata of a snapshot; null when the text is none. */
export function parseSnapshotMetadata(text: string): SnapshotMetadata | null {
  const versioning = versioningOf(text);
  const snapshot = objectOf(versioning?.['snapshot']);
  const timestamp = textOf(snapshot['timestamp']);
  if (versioning === null || timestamp === null) return null;
  const files = objectsOf(listOf(objectOf(versioning['snapshotVersions'])['snapshotVersion'])).map((item) => ({
    classifier: textOf(item['classifier']) ?? '',
    extension: textOf(item['extension']) ?? '',
    value: textOf(item['value']) ?? '',
    updated: textOf(item['updated']) ?? '',
  }));
  const buildNumber = Number(snapshot['buildNumber'] ?? 1);
  return { timestamp, buildNumber, files, lastUpdated: textOf(versioning['lastUpdated']) ?? '' };
}

/**
 * Adds a version; all others stay as they are, in their order.
 * @param isHighest whether `latest` and `release` should lead to it.
 */
export function withVersion(
  before: VersionMetadata | null,
  { version, isHighest, at }: { readonly version: string; readonly isHighest: boolean; readonly at: Date },
): VersionMetadata {
  const versions = before?.versions ?? [];
  const isFirst = before === null || before.latest === null;
  const release = isSnapshot(version)
    ? (before?.release ?? null)
    : isHighest || before?.release == null
      ? version
      : before.release;
  const all = versions.includes(version) ? versions : [...versions, version];
  const latest = isHighest || isFirst ? version : before.latest;
  const isSame = before !== null && all === versions && latest === before.latest && release === before.release;
  return isSame ? before : { latest, release, versions: all, lastUpdated: metadataTime(at).plain };
}

/** Takes a version out; `latest` and `release` fall back to the last one that is left. */
export function withoutVersion(before: VersionMetadata, version: string, at: Date): VersionMetadata {
  const versions = before.versions.filter((other) => other !== version);
  const last = versions.at(-1) ?? null;
  const lastRelease = versions.findLast((version) => !isSnapshot(version)) ?? null;
  return {
    latest: before.latest === version ? last : before.latest,
    release: before.release === version ? lastRelease : before.release,
    versions,
    lastUpdated: metadataTime(at).plain,
  };
}

/** Writes the metadata of an artifact. */
export function formatVersionMetadata({ groupId, artifactId }: Coordinates, metadata: VersionMetadata): string {
  const { latest, release, versions, lastUpdated } = metadata;
  return document([
    element('groupId', groupId, 2),
    element('artifactId', artifactId, 2),
    '  <versioning>',
    ...(latest === null ? [] : [element('latest', latest, 4)]),
    ...(release === null ? [] : [element('release', release, 4)]),
    '    <versions>',
    ...versions.map((version) => element('version', version, 6)),
    '    </versions>',
    element('lastUpdated', lastUpdated, 4),
    '  </versioning>',
  ]);
}

/** Writes the metadata of a snapshot. */
export function formatSnapshotMetadata(coordinates: Coordinates, metadata: SnapshotMetadata): string {
  const { groupId, artifactId, version } = coordinates;
  const { timestamp, buildNumber, lastUpdated, files } = metadata;
  return document([
    element('groupId', groupId, 2),
    element('artifactId', artifactId, 2),
    element('version', version, 2),
    '  <versioning>',
    '    <snapshot>',
    element('timestamp', timestamp, 6),
    element('buildNumber', String(buildNumber), 6),
    '    </snapshot>',
    element('lastUpdated', lastUpdated, 4),
    '    <snapshotVersions>',
    ...files.flatMap((file) => [
      '      <snapshotVersion>',
      ...(file.classifier === '' ? [] : [element('classifier', file.classifier, 8)]),
      element('extension', file.extension, 8),
      element('value', file.value, 8),
      element('updated', file.updated, 8),
      '      </snapshotVersion>',
    ]),
    '    </snapshotVersions>',
    '  </versioning>',
  ]);
}

function document(lines: readonly string[]): string {
  return `<?xml version="1.0" encoding="UTF-8"?>\n<metadata modelVersion="1.1.0">\n${lines.join('\n')}\n</metadata>\n`;
}

function element(name: string, text: string, indent: number): string {
  return `${' '.repeat(indent)}<${name}>${escapeHtml(text)}</${name}>`;
}
