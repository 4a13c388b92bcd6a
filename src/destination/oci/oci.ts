import { isSbom } from '../../core/form/definitions.ts';
import { objectOf, objectsOf } from '../../core/manifest/fields.ts';
import {
  artifactManifest,
  type Descriptor,
  digestOf,
  emptyBlob,
  indexType,
  manifestType,
  type OciDocument,
  referrersTag,
  releaseDocument,
  repositoryName,
  tagFor,
  withReferrers,
} from '../../core/protocol/oci/oci.ts';
import { pointerFor } from '../../core/version/pointer.ts';
import type { Credential } from '../../world/credential.ts';
import { drain, type HttpRequest, readText } from '../../world/http.ts';
import type { Access, Destination, Parcel, Pointed, Presence, Subject } from '../destination.ts';
import { parcelBytes } from '../parcel-bytes.ts';
import { expectDone, isDone, parseJson, refused, skewOf, strangeAnswer, textBody, type Web } from '../web.ts';
import { OciSession } from './oci-session.ts';

/** Where a registry is, and below which path its repositories lie. */
export type OciSettings = {
  readonly web: Web;
  readonly url: string;
  readonly credential: Credential;
  readonly secrets: Set<string>;
};

/** What is sent in one request; beyond it a blob goes in chunks. */
const chunkBytes = 64 << 20;
const accept = `${manifestType}, ${indexType}`;

/** A registry of the distribution specification: each file an artifact, bills as its referrers, versions as tags. */
export function oci({ web, url, credential, secrets }: OciSettings): Destination {
  const { origin, pathname } = new URL(url);
  const base = `${origin}/`;
  const session = new OciSession(web, credential, secrets);
  /** Where this run has put a blob already: other repositories can take it from there. */
  const placed = new Map<string, string>();
  const repositoryOf = ({ packageName }: Pick<Subject, 'packageName'>) => repositoryName(pathname, packageName);
  const releaseOf = (all: readonly Parcel[]) => releaseDocument(all.filter((one) => !isSbom(one)));
  const documentOf = (parcel: Parcel, all: readonly Parcel[]): OciDocument =>
    artifactManifest(parcel, isSbom(parcel) ? (releaseOf(all)?.descriptor ?? null) : null);
  const manifestAt = (repository: string, reference: string) => `${base}v2/${repository}/manifests/${reference}`;
  const addressOf = (parcel: Parcel) =>
    `${base}v2/${repositoryOf(parcel)}/blobs/sha256:${parcel.sha256}#${parcel.fileName}`;

  const fetchManifest = async (
    repository: string,
    reference: string,
  ): Promise<{ text: string; digest: string; tags: unknown } | null> => {
    const answer = await session.callText(repository, {
      method: 'GET',
      url: manifestAt(repository, reference),
      headers: { accept },
    });
    if (answer.status === 404) return null;
    if (answer.status !== 200) throw refused(web, `the question for ${repository}`, answer);
    return { text: answer.text, digest: digestOf(answer.text), tags: parseJson(answer.text) };
  };

  /** Its manifest is there by digest: same. A tag of its version that leads to a release with other files: different. */
  const find: Destination['find'] = async (parcel, all): Promise<Presence> => {
    const repository = repositoryOf(parcel);
    const document = documentOf(parcel, all);
    const there = await fetchManifest(repository, document.descriptor.digest);
    if (there !== null) return { type: 'same', address: addressOf(parcel) };
    const tagged = await fetchManifest(repository, tagFor(parcel.version));
    if (tagged === null || isSbom(parcel)) return { type: 'absent' };
    const release = releaseOf(all);
    if (tagged.digest === release?.descriptor.digest) return { type: 'absent' };
    return {
      type: 'different',
      why: `the tag ${tagFor(parcel.version)} leads to ${tagged.digest.slice(0, 19)}…, ours would be ${release?.descriptor.digest.slice(0, 19)}…`,
    };
  };

  const hasBlob = async (repository: string, digest: string): Promise<boolean> => {
    const answer = await session.call(repository, { method: 'HEAD', url: `${base}v2/${repository}/blobs/${digest}` });
    await drain(answer);
    return answer.status === 200;
  };

  /** Begins an upload, or takes the blob over from another repository. @returns where to send it, null when it is there. */
  const beginUpload = async (repository: string, digest: string): Promise<string | null> => {
    const from = placed.get(digest);
    const mount = from === undefined || from === repository ? '' : `?mount=${digest}&from=${encodeURIComponent(from)}`;
    const target = `${base}v2/${repository}/blobs/uploads/`;
    const answer = await session.callText(repository, { method: 'POST', url: `${target}${mount}` }, () => textBody(''));
    if (answer.status === 201) return null;
    expectDone(web, `an upload to ${repository}`, answer);
    return locationOf(answer.headers['location'], target);
  };

  const locationOf = (location: unknown, from: string): string => {
    if (typeof location === 'string' && URL.canParse(location, from)) return new URL(location, from).href;
    throw strangeAnswer(web.name, 'it began an upload and did not say where', base);
  };

  const putBlob = async (repository: string, digest: string, body: () => HttpRequest['body']): Promise<void> => {
    if (await hasBlob(repository, digest)) return;
    const location = await beginUpload(repository, digest);
    if (location === null) return;
    const answer = await session.callText(
      repository,
      { method: 'PUT', url: withDigest(location, digest), headers: { 'content-type': 'application/octet-stream' } },
      body,
    );
    expectDone(web, digest, answer);
    placed.set(digest, repository);
  };

  /** Sends a large blob in chunks; after a cut the registry is asked how much it has ("Pushing a blob in chunks"). */
  const putChunked = async (repository: string, parcel: Parcel, moved: (bytes: number) => void): Promise<void> => {
    const digest = `sha256:${parcel.sha256}`;
    if (await hasBlob(repository, digest)) return;
    let location = await beginUpload(repository, digest);
    if (location === null) return;
    let at = 0;
    for (let cuts = 0; at < parcel.sizeBytes; ) {
      const end = Math.min(at + chunkBytes, parcel.sizeBytes) - 1;
      const [start, target] = [at, location];
      const headers = { 'content-type': 'application/octet-stream', 'content-range': `${start}-${end}` };
      const chunks = () => ({
        chunks: parcelBytes(parcel, () => {}, { start, end: end + 1 }),
        sizeBytes: end - start + 1,
      });
      const answer = await session
        .callText(repository, { method: 'PATCH', url: target, headers }, chunks)
        .catch((error: unknown) => {
          if (++cuts > 3) throw error;
          return null;
        });
      if (answer !== null && isDone(answer.status)) {
        location = locationOf(answer.headers['location'] ?? target, target);
        moved(end + 1 - at);
        at = end + 1;
        continue;
      }
      if (answer !== null && (answer.status !== 416 || ++cuts > 3)) throw refused(web, parcel.fileName, answer);
      const asked = await session.callText(repository, { method: 'GET', url: target });
      if (asked.status !== 204) throw refused(web, `how far ${parcel.fileName} came`, asked);
      // `0-0` is said of an upload that has nothing yet; a chunk of one byte is never sent.
      const last = Number(/-(\d+)$/.exec(String(asked.headers['range'] ?? ''))?.[1] ?? 0);
      at = last === 0 ? 0 : last + 1;
      location = locationOf(asked.headers['location'] ?? target, target);
    }
    const answer = await session.callText(repository, { method: 'PUT', url: withDigest(location, digest) }, () =>
      textBody(''),
    );
    expectDone(web, digest, answer);
    placed.set(digest, repository);
  };

  const putManifest = async (repository: string, reference: string, document: OciDocument): Promise<void> => {
    const { mediaType } = document.descriptor;
    const request = {
      method: 'PUT',
      url: manifestAt(repository, reference),
      headers: { 'content-type': mediaType },
    } as const;
    const answer = await session.callText(repository, request, () => textBody(document.text));
    expectDone(web, `the manifest ${reference}`, answer);
  };

  const deliver: Destination['deliver'] = async (parcel, { all, moved }) => {
    const repository = repositoryOf(parcel);
    await session.open(repository, base).then((answer) => expectDone(web, 'to be spoken to', answer));
    await putBlob(repository, digestOf(emptyBlob), () => textBody(emptyBlob));
    if (parcel.sizeBytes > chunkBytes) await putChunked(repository, parcel, moved);
    else
      await putBlob(repository, `sha256:${parcel.sha256}`, () => ({
        chunks: parcelBytes(parcel, moved),
        sizeBytes: parcel.sizeBytes,
      }));
    const document = documentOf(parcel, all);
    await putManifest(repository, document.descriptor.digest, document);
    return addressOf(parcel);
  };

  /** The tag of the version, then the stream's pointer, then the list of bills where the registry keeps none itself. */
  const point = async (all: readonly Parcel[]): Promise<Pointed[]> => {
    const release = releaseOf(all);
    const parcel = all.find((one) => !isSbom(one));
    if (release === null || parcel === undefined) return [];
    const repository = repositoryOf(parcel);
    const tags = await listTags(repository);
    const pointer = tagFor(pointerFor(parcel.version, parcel.stream, tags));
    const pointed: Pointed[] = [];
    for (const tag of new Set([tagFor(parcel.version), pointer])) {
      const before = await fetchManifest(repository, tag);
      const moved = before?.digest !== release.descriptor.digest;
      if (moved) await putManifest(repository, tag, release);
      pointed.push({ pointer: tag, from: moved ? (before?.digest ?? null) : null, moved });
    }
    const bills = all.filter(isSbom).map((one) => documentOf(one, all).descriptor);
    if (bills.length > 0) await listReferrers(repository, release.descriptor, bills);
    return pointed;
  };

  const listTags = async (repository: string): Promise<string[]> => {
    const answer = await session.callText(repository, {
      method: 'GET',
      url: `${base}v2/${repository}/tags/list?n=10000`,
    });
    if (answer.status === 404) return [];
    expectDone(web, `the tags of ${repository}`, answer);
    const tags = objectOf(parseJson(answer.text))['tags'];
    return Array.isArray(tags) ? tags.filter((one) => typeof one === 'string') : [];
  };

  /** "Listing Referrers": a registry without that interface keeps the list as a tag, which the client writes. */
  const listReferrers = async (
    repository: string,
    subject: Descriptor,
    bills: readonly Descriptor[],
  ): Promise<void> => {
    const answer = await session.callText(repository, {
      method: 'GET',
      url: `${base}v2/${repository}/referrers/${subject.digest}`,
    });
    const known = objectsOf(objectOf(parseJson(answer.text))['manifests']).map((one) => one['digest']);
    if (answer.status === 200 && bills.every(({ digest }) => known.includes(digest))) return;
    const tag = referrersTag(subject.digest);
    const before = (await fetchManifest(repository, tag))?.text ?? null;
    const text = withReferrers(before, bills);
    if (text === before) return;
    const descriptor = { mediaType: indexType, digest: digestOf(text), size: Buffer.byteLength(text) };
    await putManifest(repository, tag, { text, descriptor });
  };

  const open: Destination['open'] = async (address) => {
    const [target = ''] = address.split('#');
    const repository = /\/v2\/(.+)\/blobs\//.exec(target)?.[1] ?? '';
    const answer = await session.call(repository, { method: 'GET', url: target });
    if (answer.status === 200) return answer.chunks;
    throw refused(web, target, { ...answer, text: await readText(answer, target) });
  };

  const isListed: Destination['isListed'] = async (parcel) => {
    const tagged = await fetchManifest(repositoryOf(parcel), tagFor(parcel.version));
    return tagged !== null || `there is no tag ${tagFor(parcel.version)} yet`;
  };

  /** Begins an upload and lets it go: that needs the same right as a delivery, and leaves nothing. */
  const access: Destination['access'] = async (subject): Promise<Access> => {
    const repository = repositoryOf(subject);
    const target = `${base}v2/${repository}/blobs/uploads/`;
    const answer = await session.callText(repository, { method: 'POST', url: target }, () => textBody(''));
    const common = { opens: 'unknown', skewMs: skewOf(answer) } as const;
    if (answer.status === 401 || answer.status === 403)
      return { credential: 'refused', why: refused(web, 'the credential', answer).why, ...common };
    const location = answer.headers['location'];
    if (typeof location === 'string')
      await session.callText(repository, { method: 'DELETE', url: locationOf(location, target) });
    if (credential.type === 'none') return { credential: 'none', why: 'it is asked without any', ...common };
    return { credential: isDone(answer.status) ? 'accepted' : 'unknown', why: null, ...common };
  };

  const nameState = async (subject: Subject) => {
    const tags = await listTags(repositoryOf(subject));
    if (tags.length === 0) return { nameState: 'free', versionState: 'free', why: null } as const;
    const versionState = tags.includes(tagFor(subject.version)) ? 'there' : 'free';
    return { nameState: 'unknown', versionState, why: 'a registry does not tell whose a repository is' } as const;
  };

  const withdraw: Destination['withdraw'] = async (subject) => {
    const repository = repositoryOf(subject);
    const tag = tagFor(subject.version);
    const release = await fetchManifest(repository, tag);
    if (release !== null) await deleteManifest(repository, tag, release.digest);
    return { how: 'untagged and deleted', limits: 'its blobs go when the registry collects what nothing leads to' };
  };

  /** By tag where the registry can ("Content Management"), else by digest. */
  const deleteManifest = async (repository: string, tag: string, digest: string): Promise<void> => {
    for (const reference of [tag, digest]) {
      const answer = await session.callText(repository, { method: 'DELETE', url: manifestAt(repository, reference) });
      if (reference === tag && answer.status >= 400 && answer.status !== 401 && answer.status !== 403) continue;
      if (!isDone(answer.status) && answer.status !== 404) throw refused(web, `to delete ${tag}`, answer);
    }
  };

  const { name } = web;
  return { name, speaks: 'oci', url, access, nameState, find, deliver, open, isListed, point, withdraw };
}

function withDigest(location: string, digest: string): string {
  const url = new URL(location);
  url.searchParams.set('digest', digest);
  return url.href;
}
