import { isSbom } from '../../core/form/definitions.ts';
import { objectOf, objectsOf, textOf } from '../../core/manifest/fields.ts';
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
import { writePermission } from '../../core/protocol/untested.ts';
import { jsonOrNull } from '../../core/text/json.ts';
import { pointerFor } from '../../core/version/pointer.ts';
import { aboutServer, deniedAccess, isDenied, shownPlaces } from '../../store/access.ts';
import type { Connection } from '../../store/connection.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import {
  expectDone,
  isDone,
  notThisProtocol,
  refused,
  type TextAnswer,
  textBody,
  unexpectedAnswer,
  type Web,
} from '../../store/web.ts';
import { readText } from '../../world/http.ts';
import { sentBytes } from '../../world/sent-file.ts';
import { type Destination, makeDestination, type Pointed, type Sending, type Withdrawal } from '../destination.ts';
import { chunkBytes, locationOf, putBlob, putChunked } from './blobs.ts';
import { OciSession } from './oci-session.ts';
import type { Registry, Repository } from './registry.ts';

const accept = `${manifestType}, ${indexType}`;

/** A registry of the distribution specification: each file an artifact, SBOMs as its referrers, versions as tags. */
export function connectOci({ name, config, url, credential, origins, signal, secrets }: Connection): Destination {
  // The credential is for the server that gives tokens, so no header carries it.
  const web: Web = { name, headers: {}, signal, origins, secrets };
  const { origin, pathname } = new URL(url);
  const registry: Registry = {
    web,
    session: new OciSession(web, credential, secrets),
    base: `${origin}/`,
    pathname,
    isAnonymous: credential.type === 'none',
    placed: new Map(),
  };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url }, registry, {
    access,
    nameState,
    find,
    deliver,
    open,
    isListed,
    point,
    fallBack,
    withdraw,
  });
}

function repositoryOf(registry: Registry, { packageName }: Pick<Subject, 'packageName'>): Repository {
  return { ...registry, repository: repositoryName(registry.pathname, packageName) };
}

function releaseOf(all: readonly Parcel[]) {
  return releaseDocument(all.filter((parcel) => !isSbom(parcel)));
}

function documentOf(parcel: Parcel, all: readonly Parcel[]): OciDocument {
  return artifactManifest(parcel, isSbom(parcel) ? (releaseOf(all)?.descriptor ?? null) : null);
}

function manifestAt({ base, repository }: Repository, reference: string): string {
  return `${base}v2/${repository}/manifests/${reference}`;
}

function addressOf(registry: Registry, parcel: Parcel) {
  const { base } = registry;
  return `${base}v2/${repositoryOf(registry, parcel).repository}/blobs/sha256:${parcel.sha256}#${parcel.fileName}`;
}

async function fetchManifest(
  at: Repository,
  reference: string,
): Promise<{ text: string; digest: string; tags: unknown } | null> {
  const { session, web, repository } = at;
  const answer = await session.callText(repository, {
    method: 'GET',
    url: manifestAt(at, reference),
    headers: { accept },
  });
  if (answer.status === 404) return null;
  if (answer.status !== 200) throw refused(web, `the question for ${repository}`, answer);
  return { text: answer.text, digest: digestOf(answer.text), tags: jsonOrNull(answer.text) };
}

/** Its manifest is there by digest: same. A tag of its version that leads to a release with other files: different. */
async function find(registry: Registry, parcel: Parcel, all: readonly Parcel[]): Promise<Presence> {
  const at = repositoryOf(registry, parcel);
  const document = documentOf(parcel, all);
  const there = await fetchManifest(at, document.descriptor.digest);
  if (there !== null) return { type: 'same', address: addressOf(registry, parcel) };
  const tagged = await fetchManifest(at, tagFor(parcel.version));
  if (tagged === null || isSbom(parcel)) return { type: 'absent' };
  const release = releaseOf(all);
  if (tagged.digest === release?.descriptor.digest) return { type: 'absent' };
  return {
    type: 'different',
    why: `the tag ${tagFor(parcel.version)} points to ${tagged.digest.slice(0, 19)}…, expected ${release?.descriptor.digest.slice(0, 19)}…`,
  };
}

async function putManifest(at: Repository, reference: string, document: OciDocument): Promise<void> {
  const { session, web, repository } = at;
  const { mediaType } = document.descriptor;
  const request = {
    method: 'PUT',
    url: manifestAt(at, reference),
    headers: { 'content-type': mediaType },
  } as const;
  const answer = await session.callText(repository, request, () => textBody(document.text));
  expectDone(web, `the manifest ${reference}`, answer);
}

async function deliver(registry: Registry, parcel: Parcel, { all, moved }: Sending): Promise<string> {
  const { session, base, web } = registry;
  const at = repositoryOf(registry, parcel);
  await session.open(at.repository, base).then((answer) => expectDone(web, 'to be spoken to', answer));
  await putBlob(at, digestOf(emptyBlob), () => textBody(emptyBlob));
  if (parcel.sizeBytes > chunkBytes) await putChunked(at, parcel, moved);
  else
    await putBlob(at, `sha256:${parcel.sha256}`, () => ({
      chunks: sentBytes(parcel, moved),
      sizeBytes: parcel.sizeBytes,
    }));
  const document = documentOf(parcel, all);
  await putManifest(at, document.descriptor.digest, document);
  return addressOf(registry, parcel);
}

/** The tag of the version, then the stream's pointer, then the list of SBOMs where the registry keeps none itself. */
async function point(registry: Registry, all: readonly Parcel[]): Promise<Pointed[]> {
  const release = releaseOf(all);
  const parcel = all.find((parcel) => !isSbom(parcel));
  if (release === null || parcel === undefined) return [];
  const at = repositoryOf(registry, parcel);
  const tags = await listTags(at);
  const pointer = tagFor(pointerFor(parcel.version, parcel.stream, tags));
  const pointed: Pointed[] = [];
  for (const tag of new Set([tagFor(parcel.version), pointer])) {
    const before = await fetchManifest(at, tag);
    const moved = before?.digest !== release.descriptor.digest;
    if (moved) await putManifest(at, tag, release);
    pointed.push({ pointer: tag, from: moved ? (before?.digest ?? null) : null, moved });
  }
  const sboms = all.filter(isSbom).map((parcel) => documentOf(parcel, all).descriptor);
  if (sboms.length > 0) await listReferrers(at, release.descriptor, sboms);
  return pointed;
}

async function fallBack(registry: Registry, subject: Subject, to: Subject): Promise<Pointed[]> {
  const at = repositoryOf(registry, subject);
  const wanted = await fetchManifest(at, tagFor(to.version));
  if (wanted === null) throw unexpectedAnswer(at.web.name, `there is no tag ${tagFor(to.version)}`, at.base);
  const own = await fetchManifest(at, tagFor(subject.version));
  const pointed: Pointed[] = [];
  for (const tag of await listTags(at)) {
    if (tag === tagFor(subject.version) || own === null || (await fetchManifest(at, tag))?.digest !== own.digest)
      continue;
    const mediaType = textOf(objectOf(wanted.tags)['mediaType']) ?? manifestType;
    const descriptor = { mediaType, digest: wanted.digest, size: Buffer.byteLength(wanted.text) };
    await putManifest(at, tag, { text: wanted.text, descriptor });
    pointed.push({ pointer: tag, from: subject.version, moved: true });
  }
  return pointed;
}

async function listTags({ session, base, web, repository }: Repository): Promise<string[]> {
  const answer = await session.callText(repository, {
    method: 'GET',
    url: `${base}v2/${repository}/tags/list?n=10000`,
  });
  if (answer.status === 404) return [];
  expectDone(web, `the tags of ${repository}`, answer);
  const tags = objectOf(jsonOrNull(answer.text))['tags'];
  return Array.isArray(tags) ? tags.filter((tag) => typeof tag === 'string') : [];
}

/** "Listing Referrers": a registry without that interface keeps the list as a tag, which the client writes. */
async function listReferrers(at: Repository, subject: Descriptor, sboms: readonly Descriptor[]): Promise<void> {
  const { session, base, repository } = at;
  const answer = await session.callText(repository, {
    method: 'GET',
    url: `${base}v2/${repository}/referrers/${subject.digest}`,
  });
  const known = objectsOf(objectOf(jsonOrNull(answer.text))['manifests']).map((item) => item['digest']);
  if (answer.status === 200 && sboms.every(({ digest }) => known.includes(digest))) return;
  const tag = referrersTag(subject.digest);
  const before = (await fetchManifest(at, tag))?.text ?? null;
  const text = withReferrers(before, sboms);
  if (text === before) return;
  const descriptor = { mediaType: indexType, digest: digestOf(text), size: Buffer.byteLength(text) };
  await putManifest(at, tag, { text, descriptor });
}

async function open({ session, web }: Registry, address: string): Promise<AsyncIterable<Uint8Array>> {
  const [target = ''] = address.split('#');
  const repository = /\/v2\/(.+)\/blobs\//.exec(target)?.[1] ?? '';
  const answer = await session.call(repository, { method: 'GET', url: target });
  if (answer.status === 200) return answer.chunks;
  throw refused(web, target, { ...answer, text: await readText(answer, target) });
}

async function isListed(registry: Registry, parcel: ListedParcel): Promise<string | true> {
  const tagged = await fetchManifest(repositoryOf(registry, parcel), tagFor(parcel.version));
  return tagged !== null || `there is no tag ${tagFor(parcel.version)} yet`;
}

/**
 * A token for pushing, where the registry gives tokens, and what that allows; with `mayWrite` an upload is begun and let go.
 * @throws DESTINATION_ANSWER where no registry answers.
 */
async function access(registry: Registry, subject: Subject, { mayWrite, lists }: Asking): Promise<Access> {
  const { base, session, web, isAnonymous } = registry;
  const at = repositoryOf(registry, subject);
  const first = await session.open(at.repository, base);
  if (isDenied(first)) return deniedIn(registry, first);
  const isRegistry = first.headers['docker-distribution-api-version'] !== undefined || jsonOrNull(first.text) !== null;
  if (!isDone(first.status) || (!isRegistry && first.text.trim() !== ''))
    throw notThisProtocol(web, { asked: `${base}v2/`, answer: first, expected: 'no registry answers at /v2/' });
  const may = session.allows(at.repository, 'push');
  const common = { ...aboutServer(first), places: lists ? await listRepositories(at) : [] };
  if (may === false)
    return { ...common, credential: 'refused', why: `its token does not allow pushing to ${at.repository}` };
  const denied = mayWrite ? await deniedUpload(at) : null;
  if (denied !== null) return deniedIn(registry, denied);
  const untested = mayWrite || may === true ? [] : [writePermission];
  if (isAnonymous) return { ...common, credential: 'none', why: 'it is asked without any', untested };
  // A registry that lets everyone read has not looked at the credential yet.
  const isLookedAt = mayWrite || session.isKnown(at.repository);
  return { ...common, credential: isLookedAt ? 'accepted' : 'unknown', why: null, untested };
}

function deniedIn({ web, isAnonymous }: Registry, answer: TextAnswer): Access {
  // The credential is not in a fixed header here, so whether there is one is said separately.
  const headers: Readonly<Record<string, string>> = isAnonymous ? {} : { authorization: '' };
  return deniedAccess({ ...web, headers }, answer);
}

/** Begins an upload and lets it go. @returns the answer that refuses it; null when it was begun. */
async function deniedUpload(at: Repository): Promise<TextAnswer | null> {
  const { base, session, web, repository } = at;
  const target = `${base}v2/${repository}/blobs/uploads/`;
  const answer = await session.callText(repository, { method: 'POST', url: target }, () => textBody(''));
  if (isDenied(answer)) return answer;
  expectDone(web, `an upload to ${repository}`, answer);
  const location = locationOf(at, answer.headers['location'], target);
  await session.callText(repository, { method: 'DELETE', url: location });
  return null;
}

/** Repositories that the registry lists to this credential ("Listing Repositories" of the older interface, which many keep). */
async function listRepositories({ base, session, repository }: Repository): Promise<string[]> {
  const answer = await session.callText(repository, { method: 'GET', url: `${base}v2/_catalog?n=${shownPlaces}` });
  const found = isDone(answer.status) ? objectOf(jsonOrNull(answer.text))['repositories'] : null;
  return Array.isArray(found) ? found.filter((name) => typeof name === 'string').slice(0, shownPlaces) : [];
}

async function nameState(registry: Registry, subject: Subject): Promise<NameState> {
  const tags = await listTags(repositoryOf(registry, subject));
  if (tags.length === 0) return { nameState: 'free', versionState: 'free', why: null } as const;
  const versionState = tags.includes(tagFor(subject.version)) ? 'there' : 'free';
  return { nameState: 'unknown', versionState, why: 'a registry does not tell whose a repository is' } as const;
}

async function withdraw(registry: Registry, subject: Subject): Promise<Withdrawal> {
  const at = repositoryOf(registry, subject);
  const tag = tagFor(subject.version);
  const release = await fetchManifest(at, tag);
  if (release !== null) await deleteManifest(at, tag, release.digest);
  return { how: 'untagged and deleted', limits: 'its blobs go when the registry collects what nothing leads to' };
}

/** By tag where the registry can ("Content Management"), else by digest. */
async function deleteManifest(at: Repository, tag: string, digest: string): Promise<void> {
  const { session, web, repository } = at;
  for (const reference of [tag, digest]) {
    const answer = await session.callText(repository, {
      method: 'DELETE',
      url: manifestAt(at, reference),
    });
    if (reference === tag && answer.status >= 400 && answer.status !== 401 && answer.status !== 403) continue;
    if (!isDone(answer.status) && answer.status !== 404) throw refused(web, `to delete ${tag}`, answer);
  }
}
