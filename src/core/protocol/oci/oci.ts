import { createHash } from 'node:crypto';
import { isSbom } from '../../form/definitions.ts';
import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import type { Form } from '../../name/form.ts';
import { jsonOrNull } from '../../text/json.ts';
import { contentTypeOf } from '../content-type.ts';

// OCI Image Format Specification 1.1 ("Guidelines for artifact usage") and OCI Distribution Specification 1.1.

export const manifestType = 'application/vnd.oci.image.manifest.v1+json';
export const indexType = 'application/vnd.oci.image.index.v1+json';

/** Points to content: type, digest as `sha256:…`, size in bytes. */
export type Descriptor = {
  readonly mediaType: string;
  readonly digest: string;
  readonly size: number;
  readonly artifactType?: string;
  readonly platform?: { readonly os: string; readonly architecture: string };
  readonly annotations?: Readonly<Record<string, string>>;
};

/** A document of this format: its bytes and what points to them. */
export type OciDocument = { readonly text: string; readonly descriptor: Descriptor };

/** The empty JSON object that stands for "no configuration" (image specification, "Guidance for an Empty Descriptor"). */
export const emptyBlob = '{}';

const emptyDescriptor = {
  mediaType: 'application/vnd.oci.empty.v1+json',
  digest: digestOf(emptyBlob),
  size: emptyBlob.length,
  data: 'e30=',
};

/** A file that becomes the one layer of an artifact. */
export type OciFile = {
  readonly fileName: string;
  readonly form: Form;
  readonly platform: string | null;
  readonly sha256: string;
  readonly sizeBytes: number;
  readonly packageName: string;
  readonly version: string;
  /** Seconds since 1970. */
  readonly sourceTime: number;
};

/**
 * The manifest of one file as an artifact. Equal input gives equal bytes, so its digest is known before it is sent.
 * @param subject what it refers to: an SBOM refers to the release that it describes.
 */
export function artifactManifest(file: OciFile, subject: Descriptor | null): OciDocument {
  const { fileName, form, packageName, version, sourceTime, sha256, sizeBytes } = file;
  const mediaType = contentTypeOf(fileName).split(';')[0] ?? '';
  const artifactType = isSbom({ form }) ? mediaType : `application/vnd.bevelstone.${form}`;
  const annotations = {
    'org.opencontainers.image.created': timeOf(sourceTime),
    'org.opencontainers.image.title': fileName,
    'org.opencontainers.image.version': version,
    'org.opencontainers.image.ref.name': packageName,
  };
  const layer = {
    mediaType,
    digest: `sha256:${sha256}`,
    size: sizeBytes,
    annotations: { 'org.opencontainers.image.title': fileName },
  };
  const refers = subject === null ? {} : { subject: bare(subject) };
  const text = JSON.stringify({
    schemaVersion: 2,
    mediaType: manifestType,
    artifactType,
    config: emptyDescriptor,
    layers: [layer],
    ...refers,
    annotations,
  });
  const platform = platformOf(file.platform);
  const common = { mediaType: manifestType, digest: digestOf(text), size: Buffer.byteLength(text) };
  const descriptor: Descriptor = { ...common, artifactType, ...(platform === null ? {} : { platform }), annotations };
  return { text, descriptor };
}

/**
 * The document that a release's tag leads to: the manifest of its only artifact, else an index of them all. Clients that copy
 * an index write it anew, with the fields that they know in an order of their own; written like that, a copy has the same
 * digest. So types of artifacts stand in the manifests only.
 */
export function releaseDocument(files: readonly OciFile[]): OciDocument | null {
  const manifests = files.map((file) => artifactManifest(file, null));
  const [first] = manifests;
  const [file] = files;
  if (first === undefined || file === undefined) return null;
  if (manifests.length === 1) return first;
  const text = copyable({
    schemaVersion: 2,
    mediaType: indexType,
    manifests: manifests.map(({ descriptor: { mediaType, digest, size, annotations, platform } }) => ({
      mediaType,
      digest,
      size,
      annotations: sorted(annotations ?? {}),
      ...(platform === undefined ? {} : { platform: sorted(platform) }),
    })),
    annotations: sorted({
      'org.opencontainers.image.created': timeOf(file.sourceTime),
      'org.opencontainers.image.version': file.version,
      'org.opencontainers.image.ref.name': file.packageName,
    }),
  });
  return { text, descriptor: { mediaType: indexType, digest: digestOf(text), size: Buffer.byteLength(text) } };
}

function sorted(values: Readonly<Record<string, string>>): Record<string, string> {
  return Object.fromEntries(Object.entries(values).sort(([a], [b]) => (a < b ? -1 : 1)));
}

/** JSON with the characters escaped that encoders for the web escape. */
function copyable(value: unknown): string {
  return JSON.stringify(value).replace(
    /[<>&\u2028\u2029]/g,
    (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
}

/** The index of those that refer to something, for registries that keep it as a tag ("Referrers Tag Schema"). */
export function withReferrers(before: string | null, referrers: readonly Descriptor[]): string {
  const known = before === null ? null : jsonOrNull(before);
  const manifests = objectsOf(objectOf(known)['manifests']);
  const added = referrers.filter(({ digest }) => !manifests.some((manifest) => manifest['digest'] === digest));
  return JSON.stringify({ schemaVersion: 2, mediaType: indexType, manifests: [...manifests, ...added] });
}

/** The tag that holds such an index. */
export function referrersTag(digest: string): string {
  return digest.replace(':', '-').slice(0, 128);
}

/** Digests of the blobs and manifests that a manifest or index needs to be there; null when the value is none. */
export function needsOf(value: unknown): { readonly blobs: string[]; readonly manifests: string[] } | null {
  const document = objectOf(value);
  if (document['schemaVersion'] !== 2) return null;
  const digests = (list: unknown) => objectsOf(list).flatMap((item) => textOf(item['digest']) ?? []);
  if (Array.isArray(document['manifests'])) return { blobs: [], manifests: digests(document['manifests']) };
  if (!Array.isArray(document['layers'])) return null;
  return { blobs: [...digests([document['config']]), ...digests(document['layers'])], manifests: [] };
}

/** A repository name of this registry: lower case, parts joined by single separators ("Pulling manifests"). */
export function repositoryName(...parts: readonly string[]): string {
  return parts
    .flatMap((part) => part.toLowerCase().split('/'))
    .map((part) =>
      part
        .replace(/[^a-z0-9._-]+/g, '-')
        .replace(/^[._-]+|[._-]+$/g, '')
        .replace(/[._-]{2,}/g, '-'),
    )
    .filter((part) => part !== '')
    .join('/');
}

/** A version as a tag: `+` is not allowed there ("Pulling manifests"). */
export function tagFor(version: string): string {
  return version
    .replaceAll('+', '_')
    .replace(/[^\w.-]/g, '-')
    .slice(0, 128);
}

/**
 * Whether a registry's token says that it allows an action on a repository: its payload lists what was granted, which may be
 * less than what was asked for ("Token Authentication Implementation", `access`). Null for a token that says nothing.
 */
export function tokenAllows(token: string, repository: string, action: string): boolean | null {
  const payload = token.split('.')[1];
  const claims =
    payload === undefined ? null : objectOf(jsonOrNull(Buffer.from(payload, 'base64url').toString()))['access'];
  if (!Array.isArray(claims)) return null;
  return objectsOf(claims).some(
    ({ type, name, actions }) =>
      type === 'repository' &&
      name === repository &&
      Array.isArray(actions) &&
      [action, '*'].some((one) => actions.includes(one)),
  );
}

/** How a registry wants to be spoken to (RFC 9110 §11.6.1; "Token Authentication"). */
export type Challenge = { readonly scheme: string; readonly parameters: Readonly<Record<string, string>> };

/** Reads `WWW-Authenticate`; null when there is none. */
export function parseChallenge(value: unknown): Challenge | null {
  const [, scheme = '', rest = ''] = /^\s*([A-Za-z]+)\s+(.*)$/s.exec(typeof value === 'string' ? value : '') ?? [];
  if (scheme === '') return null;
  const parameters = [...rest.matchAll(/([a-z_]+)\s*=\s*(?:"([^"]*)"|([^\s,]+))/gi)].map(
    ([, key = '', quoted, plain]) => [key.toLowerCase(), quoted ?? plain ?? ''] as const,
  );
  return { scheme: scheme.toLowerCase(), parameters: Object.fromEntries(parameters) };
}

/** `sha256:` and the digest of a text. */
export function digestOf(text: string): string {
  return `sha256:${createHash('sha256').update(text).digest('hex')}`;
}

function bare({ mediaType, digest, size }: Descriptor): Descriptor {
  return { mediaType, digest, size };
}

function timeOf(seconds: number): string {
  return new Date(seconds * 1000).toISOString().replace('.000Z', 'Z');
}

const architectures: Readonly<Record<string, string>> = { x64: 'amd64', x86: '386' };
const systems: Readonly<Record<string, string>> = { macos: 'darwin' };

/** `linux-x64` as the specification writes it, in the Go language's words. */
function platformOf(platform: string | null): NonNullable<Descriptor['platform']> | null {
  const [os, architecture] = (platform ?? '').split('-');
  if (!os || !architecture) return null;
  return { os: systems[os] ?? os, architecture: architectures[architecture] ?? architecture };
}
