import { randomBytes } from 'node:crypto';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { objectOf, objectsOf, textOf } from '../../core/manifest/fields.ts';
import { encodeForm } from '../../core/protocol/multipart.ts';
import {
  flatPath,
  type NugetServices,
  normaliseNugetVersion,
  parseFlatVersions,
  parseRegistration,
  parseServiceIndex,
  type RegistrationLeaf,
} from '../../core/protocol/nuget-v3/nuget.ts';
import { jsonOrNull } from '../../core/text/json.ts';
import { nothingKnown, shownPlaces } from '../../store/access.ts';
import { type Connection, webOf } from '../../store/connection.ts';
import { presenceAt } from '../../store/http-files.ts';
import { once } from '../../store/once.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import {
  callText,
  expectDone,
  isDone,
  notThisProtocol,
  openAddress,
  refused,
  unexpectedAnswer,
  type Web,
} from '../../store/web.ts';
import { sentBytes } from '../../world/sent-file.ts';
import { type Destination, makeDestination, type Sending, type Withdrawal } from '../destination.ts';
import { accessByEmptyForm } from '../empty-form.ts';
import { surrounded } from '../surrounded.ts';

/** What is known of a server; its service index is asked for once, when it is needed. */
type Server = { readonly web: Web; readonly url: string; readonly services: () => Promise<NugetServices> };

/** A server of .NET packages: `url` is its service index. */
export function connectNugetV3(connection: Connection): Destination {
  const { name, config, url } = connection;
  const web = webOf(connection);
  const server: Server = { web, url, services: once(() => readServices(web, url)) };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url }, server, {
    access,
    nameState,
    find,
    deliver,
    open: (_server, address) => openAddress(web, address),
    isListed,
    point: async () => [],
    fallBack: async () => [],
    withdraw,
  });
}

async function readServices(web: Web, url: string): Promise<NugetServices> {
  const answer = await callText(web, { method: 'GET', url });
  if (answer.status !== 200) throw refused(web, 'the service index', answer);
  const found = parseServiceIndex(jsonOrNull(answer.text));
  if (found !== null) return found;
  throw notThisProtocol(web, { asked: url, answer, expected: 'what lies there is no service index' });
}

async function resource({ web, url, services }: Server, kind: keyof NugetServices): Promise<string> {
  const address = (await services())[kind];
  if (address !== null) return address;
  throw unexpectedAnswer(web.name, `its service index names no resource for ${kind}`, url);
}

function versionOf({ spellings, version }: Subject) {
  return spellings.nuget ?? version;
}

async function addressOf(server: Server, subject: Subject): Promise<string> {
  return `${await resource(server, 'flat')}${flatPath(subject.name, versionOf(subject))}`;
}

/** Versions that can be fetched; empty when the name is unknown. */
async function fetchVersions(server: Server, name: string): Promise<string[]> {
  const { web, url } = server;
  const answer = await callText(web, {
    method: 'GET',
    url: `${await resource(server, 'flat')}${name.toLowerCase()}/index.json`,
  });
  if (answer.status === 404) return [];
  if (answer.status !== 200) throw refused(web, `the question for ${name}`, answer);
  const versions = parseFlatVersions(jsonOrNull(answer.text));
  if (versions !== null) return versions;
  throw unexpectedAnswer(web.name, 'its answer is not a list of versions', url);
}

/** Versions as the index of readers has them, over all its pages. */
async function fetchLeaves(server: Server, name: string): Promise<RegistrationLeaf[]> {
  const { web } = server;
  const read = async (address: string): Promise<RegistrationLeaf[]> => {
    const answer = await callText(web, { method: 'GET', url: address });
    if (answer.status === 404) return [];
    if (answer.status !== 200) throw refused(web, `the question for ${name}`, answer);
    const found = parseRegistration(jsonOrNull(answer.text));
    if (found === null) throw unexpectedAnswer(web.name, 'its answer is not a registration index', address);
    const others = await Promise.all(found.pages.map(read));
    return [...found.leaves, ...others.flat()];
  };
  return read(`${await resource(server, 'registrations')}${name.toLowerCase()}/index.json`);
}

async function find(server: Server, parcel: Parcel): Promise<Presence> {
  const { web } = server;
  // Symbols are never given back by this protocol: whether they are there shows when they are sent again.
  if (parcel.form === 'snupkg') return { type: 'absent' };
  return presenceAt(web, await addressOf(server, parcel), parcel);
}

async function deliver(server: Server, parcel: Parcel, { moved }: Sending): Promise<string> {
  const { web } = server;
  const isSymbols = parcel.form === 'snupkg';
  const target = await resource(server, isSymbols ? 'symbols' : 'push');
  const file = { field: 'package', fileName: parcel.fileName, contentType: 'application/octet-stream' };
  const { before, behind, contentType } = encodeForm([], file, randomBytes(15).toString('hex'));
  const answer = await callText(web, {
    method: 'PUT',
    url: target,
    headers: { 'content-type': contentType, 'x-nuget-protocol-version': '4.1.0' },
    body: {
      chunks: surrounded(before, sentBytes(parcel, moved), behind),
      sizeBytes: before.length + parcel.sizeBytes + behind.length,
    },
  });
  if (isSymbols && answer.status === 409) return `${target}#${parcel.fileName}`;
  expectDone(web, parcel.fileName, answer);
  return isSymbols ? `${target}#${parcel.fileName}` : addressOf(server, parcel);
}

async function isListed(server: Server, parcel: ListedParcel): Promise<string | true> {
  if (parcel.fileName.endsWith('.snupkg')) return true;
  const wanted = normaliseNugetVersion(versionOf(parcel));
  if (!(await fetchVersions(server, parcel.name)).includes(wanted))
    return 'it is accepted, and still being checked over there';
  const leaf = (await fetchLeaves(server, parcel.name)).find(
    ({ version }) => normaliseNugetVersion(version) === wanted,
  );
  if (leaf === undefined) return 'it can be fetched, and the index of readers does not have it yet';
  return leaf.isListed || 'it is unlisted';
}

/** The service index with its publish resource, and a form without a package, which can't publish anything: the key is looked at first. */
async function access(server: Server, _subject: Subject, { lists }: Asking): Promise<Access> {
  const { web, services } = server;
  try {
    await services();
  } catch (error) {
    if (!isBevelstoneError(error, 'CREDENTIAL_REFUSED')) throw error;
    return { ...nothingKnown, credential: 'refused', why: error.why };
  }
  const found = await accessByEmptyForm(web, { method: 'PUT', url: await resource(server, 'push'), fields: [] });
  return lists ? { ...found, places: await listPackages(server) } : found;
}

/** Packages that a search shows to this credential ("Search"). */
async function listPackages({ web, services }: Server): Promise<string[]> {
  const { search } = await services();
  if (search === null) return [];
  const answer = await callText(web, { method: 'GET', url: `${search}?q=&take=${shownPlaces}&prerelease=true` });
  const found = objectsOf(objectOf(jsonOrNull(answer.text))['data']);
  return found.flatMap(({ id }) => textOf(id) ?? []);
}

async function nameState(server: Server, subject: Subject): Promise<NameState> {
  const versions = await fetchVersions(server, subject.name);
  if (versions.length === 0) return { nameState: 'free', versionState: 'free', why: null } as const;
  const isThere = versions.includes(normaliseNugetVersion(versionOf(subject)));
  const why = 'the protocol does not tell whose a package is';
  return { nameState: 'unknown', versionState: isThere ? 'there' : 'free', why } as const;
}

/** Unlists: searches leave it out, and it can still be installed by its exact version ("Push and Delete: Delete a package"). */
async function withdraw(server: Server, subject: Subject): Promise<Withdrawal> {
  const { web } = server;
  const address = `${await resource(server, 'push')}/${encodeURIComponent(subject.name)}/${encodeURIComponent(versionOf(subject))}`;
  const answer = await callText(web, { method: 'DELETE', url: address });
  if (!isDone(answer.status) && answer.status !== 404) throw refused(web, `to unlist ${subject.name}`, answer);
  return {
    how: 'unlisted',
    limits: 'users who request exactly this version still get it, and no reason is shown',
  };
}
