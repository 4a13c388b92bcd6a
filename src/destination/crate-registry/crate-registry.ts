import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { indexPath, isCrateName } from '../../core/protocol/crate-index/crate-path.ts';
import { type IndexLine, parseIndexFile, publishMetadata } from '../../core/protocol/crate-index/index-line.ts';
import {
  downloadUrl,
  errorIn,
  ownersIn,
  parseRegistryConfig,
  publishHead,
  type RegistryConfig,
} from '../../core/protocol/crate-registry/registry.ts';
import { withSlash } from '../../core/protocol/traits.ts';
import { packageRight, writePermission } from '../../core/protocol/untested.ts';
import { jsonOrNull } from '../../core/text/json.ts';
import { aboutServer, deniedAccess, isDenied, nothingKnown } from '../../store/access.ts';
import { type Connection, webOf } from '../../store/connection.ts';
import { readRemoteText } from '../../store/http-files.ts';
import { once } from '../../store/once.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import {
  callText,
  isDone,
  notThisProtocol,
  openAddress,
  refused,
  type TextAnswer,
  unexpectedAnswer,
  type Web,
} from '../../store/web.ts';
import { sentBytes } from '../../world/sent-file.ts';
import {
  type Destination,
  makeDestination,
  type Sending,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';
import { surrounded } from '../surrounded.ts';

/** What is known of a registry; `base` is the address of its index, with a slash behind. */
type Registry = {
  readonly web: Web;
  readonly base: string;
  readonly othersFrom: string | null;
  /** What its index says of it. */
  readonly config: () => Promise<RegistryConfig>;
};

/** A registry of crates, by the address of its sparse index. */
export function connectCrateRegistry(connection: Connection): Destination {
  const { name, config, credential } = connection;
  const base = withSlash(connection.url);
  // "Registry Web API": the token is the whole value of the header, without a scheme.
  const own =
    credential.type === 'token'
      ? ({ type: 'header', name: 'Authorization', value: credential.secret } as const)
      : credential;
  const web = webOf({ ...connection, credential: own });
  const registry: Registry = {
    web,
    base,
    othersFrom: config['others-from'],
    config: once(() => readConfig(web, base)),
  };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url: base }, registry, {
    access,
    nameState,
    find,
    deliver,
    open,
    isListed,
    point: async () => [],
    fallBack: async () => [],
    withdraw,
  });
}

async function readConfig(web: Web, base: string): Promise<RegistryConfig> {
  const answer = await callText(web, { method: 'GET', url: `${base}config.json` });
  if (isDenied(answer)) throw refused(web, 'its index', answer);
  const config = isDone(answer.status) ? parseRegistryConfig(jsonOrNull(answer.text)) : null;
  if (config !== null) return config;
  throw notThisProtocol(web, { asked: base, answer, expected: 'there is no config.json of an index of crates' });
}

async function apiOf(registry: Registry): Promise<string> {
  const { api } = await registry.config();
  if (api !== null) return `${api}/api/v1/crates`;
  throw unexpectedAnswer(
    registry.web.name,
    'its config.json names no `api`: nothing can be published there',
    registry.base,
  );
}

async function linesOf({ web, base }: Registry, name: string): Promise<readonly IndexLine[] | null> {
  if (!isCrateName(name)) return null;
  const url = `${base}${indexPath(name)}`;
  const { text } = await readRemoteText(web, url);
  if (text === null) return null;
  const lines = parseIndexFile(text);
  if (lines === null)
    throw unexpectedAnswer(web.name, 'its file for this crate has other lines than an index has', url);
  return lines;
}

async function lineOf(registry: Registry, { name, version }: Subject): Promise<IndexLine | undefined> {
  return (await linesOf(registry, name))?.find((line) => line.version === version);
}

async function find(registry: Registry, parcel: Parcel): Promise<Presence> {
  const line = await lineOf(registry, parcel);
  if (line === undefined) return { type: 'absent' };
  if (line.sha256 === parcel.sha256) return { type: 'same', address: await addressOf(registry, parcel) };
  return {
    type: 'different',
    why: `its SHA-256 is ${line.sha256?.slice(0, 12) ?? 'unknown'}…, ours ${parcel.sha256.slice(0, 12)}…`,
  };
}

async function addressOf(
  registry: Registry,
  parcel: { readonly name: string; readonly version: string; readonly sha256: string },
): Promise<string> {
  return downloadUrl(await registry.config(), parcel);
}

/** What an index names for downloads may be another host: a file from there is public, so that the token does not go along. */
async function open({ web }: Registry, address: string): Promise<AsyncIterable<Uint8Array>> {
  return openAddress(web, address);
}

async function deliver(registry: Registry, parcel: Parcel, { moved }: Sending): Promise<string> {
  const { web, base, othersFrom } = registry;
  const { manifest, readme, version, sizeBytes } = parcel;
  const metadata = publishMetadata({
    manifest: manifest ?? {},
    version,
    readme,
    places: { own: base, others: othersFrom },
  });
  const head = publishHead(metadata, sizeBytes);
  const chunks = surrounded(head, sentBytes(parcel, moved), new Uint8Array());
  const answer = await callText(web, {
    method: 'PUT',
    url: `${await apiOf(registry)}/new`,
    headers: { 'content-type': 'application/octet-stream', accept: 'application/json' },
    body: { chunks, sizeBytes: head.length + sizeBytes },
  });
  expectAccepted(web, parcel.fileName, answer);
  return addressOf(registry, parcel);
}

/** Errors may come with status 200, as the interface had it before it had statuses. */
function expectAccepted(web: Web, what: string, answer: TextAnswer): void {
  const why = errorIn(jsonOrNull(answer.text));
  if (isDone(answer.status) && why === null) return;
  const text = why === null ? answer.text : JSON.stringify({ error: why });
  throw refused(web, what, { ...answer, text, status: isDone(answer.status) ? 400 : answer.status });
}

async function isListed(registry: Registry, parcel: ListedParcel): Promise<string | true> {
  const line = await lineOf(registry, parcel);
  if (line === undefined) return `the index does not list ${parcel.name} ${parcel.version} yet`;
  return line.isYanked ? 'it is yanked' : true;
}

/** The owners of the crate: a registry that does not know the crate says so to whoever may ask. */
async function access(registry: Registry, { name }: Subject, { mayWrite }: Asking): Promise<Access> {
  const { web } = registry;
  const api = await apiOf(registry).catch((error: unknown) => {
    // A private registry refuses its index too.
    if (isBevelstoneError(error, 'CREDENTIAL_REFUSED')) return error;
    throw error;
  });
  if (isBevelstoneError(api)) return { ...nothingKnown, credential: 'refused', why: api.why };
  if (mayWrite) return accessByEmptyRequest(web, `${api}/new`);
  const url = `${api}/${encodeURIComponent(name)}/owners`;
  const answer = await callText(web, { method: 'GET', url, headers: { accept: 'application/json' } });
  if (isDenied(answer)) return deniedAccess(web, answer);
  const isAnonymous = Object.keys(web.headers).length === 0;
  const known = answer.status === 404 || isDone(answer.status);
  if (!known) throw refused(web, 'the question for the owners', answer);
  const owners = ownersIn(jsonOrNull(answer.text));
  return {
    ...aboutServer(answer),
    credential: isAnonymous ? 'none' : isDone(answer.status) && owners.length > 0 ? 'accepted' : 'unknown',
    why: owners.length === 0 ? null : `owners: ${owners.join(', ')}`,
    untested: [writePermission],
  };
}

/** A publish request about nothing: whoever may publish hears that something is missing in it. */
async function accessByEmptyRequest(web: Web, url: string): Promise<Access> {
  const head = publishHead({}, 0);
  const body = { chunks: surrounded(head, nothing(), new Uint8Array()), sizeBytes: head.length };
  const answer = await callText(web, { method: 'PUT', url, headers: { accept: 'application/json' }, body });
  if (isDenied(answer)) return deniedAccess(web, answer);
  if (answer.status >= 500 || errorIn(jsonOrNull(answer.text)) === null)
    throw notThisProtocol(web, { asked: url, answer, expected: 'this is not where crates are published' });
  const isAnonymous = Object.keys(web.headers).length === 0;
  return { ...aboutServer(answer), credential: isAnonymous ? 'none' : 'accepted', why: null, untested: [packageRight] };
}

async function* nothing(): AsyncGenerator<Uint8Array> {}

async function nameState(registry: Registry, subject: Subject): Promise<NameState> {
  const lines = await linesOf(registry, subject.name);
  if (lines === null) return { nameState: 'free', versionState: 'free', why: null };
  const isThere = lines.some(({ version }) => version === subject.version);
  return {
    nameState: 'unknown',
    versionState: isThere ? 'there' : 'free',
    why: 'an index does not say whose a crate is',
  };
}

async function withdraw(registry: Registry, { name, version }: Subject, { erase }: WithdrawOrder): Promise<Withdrawal> {
  const { web } = registry;
  if (erase)
    throw new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
      message: `${web.name} cannot erase ${name} ${version}`,
      why: 'the interface can yank a version, never delete it',
      fix: 'Leave --erase out to yank it, or ask those who run the registry',
    });
  const url = `${await apiOf(registry)}/${encodeURIComponent(name)}/${encodeURIComponent(version)}/yank`;
  expectAccepted(web, `to yank ${name} ${version}`, await callText(web, { method: 'DELETE', url }));
  return { how: 'yanked', limits: 'lockfiles that name it still resolve, by design' };
}
