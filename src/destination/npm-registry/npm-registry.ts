import type { DestinationConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { objectOf, textOf } from '../../core/manifest/fields.ts';
import {
  deprecated,
  encodePublishDocument,
  integrityOf,
  isReadOnly,
  opensMore,
  type Packument,
  packagePath,
  parsePackument,
  withoutVersion,
} from '../../core/protocol/npm-registry/npm-document.ts';
import { withSlash } from '../../core/protocol/traits.ts';
import { theAddress, writePermission } from '../../core/protocol/untested.ts';
import { jsonOrNull } from '../../core/text/json.ts';
import { pointerFor } from '../../core/version/pointer.ts';
import { aboutServer, deniedAccess, isDenied } from '../../store/access.ts';
import { type Connection, webOf } from '../../store/connection.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import {
  callText,
  expectDone,
  isDone,
  notThisProtocol,
  openAddress,
  refused,
  strangeAnswer,
  type TextAnswer,
  textBody,
  unexpectedAnswer,
  type Web,
} from '../../store/web.ts';
import type { HttpRequest } from '../../world/http.ts';
import { sentBytes } from '../../world/sent-file.ts';
import {
  type Destination,
  makeDestination,
  type Pointed,
  type Sending,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';

/** What is known of a registry; `url` ends with a slash. */
type Registry = Pick<Connection, 'oneTime'> & {
  readonly web: Web;
  readonly url: string;
  readonly visibility: DestinationConfig['access'];
};

/** A registry that speaks the npm client's protocol. */
export function connectNpmRegistry(connection: Connection): Destination {
  const { name, config, oneTime } = connection;
  const registry: Registry = {
    web: webOf(connection),
    url: withSlash(connection.url),
    visibility: config.access,
    oneTime,
  };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url: registry.url }, registry, {
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

/** A request to a registry, by its path. */
type RegistryRequest = {
  readonly method: HttpRequest['method'];
  readonly path: string;
  readonly body?: () => HttpRequest['body'];
};

/** Asks again with a one-time password where the registry wants one (`www-authenticate: OTP`). */
async function call({ web, url, oneTime }: Registry, { method, path, body }: RegistryRequest): Promise<TextAnswer> {
  const ask = (headers: Record<string, string>) => {
    const content = body?.();
    return callText(web, {
      method,
      url: `${url}${path}`,
      headers: { accept: 'application/json', ...(content === undefined ? {} : json), ...headers },
      ...(content === undefined ? {} : { body: content }),
    });
  };
  const answer = await ask({});
  if (answer.status !== 401 || !/\botp\b/i.test(String(answer.headers['www-authenticate'] ?? ''))) return answer;
  const password = await oneTime();
  return password === null ? answer : ask({ 'npm-otp': password });
}

async function fetchPackument(registry: Registry, name: string): Promise<Packument | null> {
  const { web, url } = registry;
  const answer = await call(registry, { method: 'GET', path: packagePath(name) });
  if (answer.status === 404) return null;
  if (answer.status !== 200) throw refused(web, `the question for ${name}`, answer);
  const packument = parsePackument(jsonOrNull(answer.text));
  if (packument !== null) return packument;
  throw unexpectedAnswer(web.name, 'its answer for the package is not a package document', url);
}

async function find(registry: Registry, parcel: Parcel): Promise<Presence> {
  const { url } = registry;
  const there = (await fetchPackument(registry, parcel.name))?.versions.get(parcel.version);
  if (there === undefined) return { type: 'absent' };
  const isSame =
    there.integrity === null
      ? there.shasum === parcel.sha1
      : there.integrity.split(/\s+/).includes(integrityOf(parcel.sha512));
  if (isSame) return { type: 'same', address: there.tarball ?? url };
  return {
    type: 'different',
    why: `its integrity is ${there.integrity ?? there.shasum ?? 'unknown'}, expected ${integrityOf(parcel.sha512)}`,
  };
}

async function deliver(registry: Registry, parcel: Parcel, { moved }: Sending): Promise<string> {
  const { visibility, url, web } = registry;
  const versions = (await fetchPackument(registry, parcel.name))?.versions.keys() ?? [];
  const { before, behind } = encodePublishDocument({
    manifest: parcel.manifest ?? {},
    name: parcel.name,
    version: parcel.version,
    readme: parcel.readme,
    tag: pointerFor(parcel.version, parcel.stream, versions),
    access: visibility,
    registry: url,
    sizeBytes: parcel.sizeBytes,
    sha1: parcel.sha1,
    sha512: parcel.sha512,
  });
  const sizeBytes = Buffer.byteLength(before) + Math.ceil(parcel.sizeBytes / 3) * 4 + Buffer.byteLength(behind);
  const answer = await call(registry, {
    method: 'PUT',
    path: packagePath(parcel.name),
    body: () => ({
      chunks: documentChunks({ before, behind }, parcel, moved),
      sizeBytes,
    }),
  });
  expectDone(web, `${parcel.name} ${parcel.version}`, oneTimeTold(answer));
  const found = await find(registry, parcel);
  if (found.type === 'same') return found.address;
  throw unexpectedAnswer(
    web.name,
    found.type === 'different' ? found.why : `it took ${parcel.name} ${parcel.version} and does not list it`,
    url,
  );
}

async function fallBack(registry: Registry, { name, version }: Subject, to: Subject): Promise<Pointed[]> {
  const { web, url } = registry;
  const packument = await fetchPackument(registry, name);
  if (packument?.versions.has(to.version) !== true)
    throw unexpectedAnswer(web.name, `it does not list ${name} ${to.version}`, url);
  const tags = Object.entries(packument.tags).filter(([, target]) => target === version);
  for (const [tag] of tags) await setTag(registry, { name, tag, version: to.version });
  return tags.map(([pointer]) => ({ pointer, from: version, moved: true }));
}

async function setTag(
  registry: Registry,
  { name, tag, version }: { readonly name: string; readonly tag: string; readonly version: string },
): Promise<void> {
  const path = `-/package/${packagePath(name)}/dist-tags/${encodeURIComponent(tag)}`;
  const answer = await call(registry, { method: 'PUT', path, body: () => textBody(JSON.stringify(version)) });
  expectDone(registry.web, `the dist-tag ${tag}`, oneTimeTold(answer));
}

async function point(registry: Registry, all: readonly Parcel[]): Promise<Pointed[]> {
  const [parcel] = all;
  if (parcel === undefined) return [];
  const packument = await fetchPackument(registry, parcel.name);
  const pointer = pointerFor(parcel.version, parcel.stream, packument?.versions.keys() ?? []);
  const from = packument?.tags[pointer] ?? null;
  if (from === parcel.version) return [{ pointer, from, moved: false }];
  await setTag(registry, { name: parcel.name, tag: pointer, version: parcel.version });
  return [{ pointer, from, moved: true }];
}

/**
 * What only a registry answers (`-/ping`, or a package document), whose token it is (`-/whoami`), and with `mayWrite` a document
 * that publishes nothing: a registry looks at the rights first.
 * @throws DESTINATION_ANSWER where no registry answers.
 */
async function access(registry: Registry, { name }: Subject, { mayWrite }: Asking): Promise<Access> {
  const { web } = registry;
  const answer = await call(registry, { method: 'GET', path: '-/whoami' });
  const isAnonymous = Object.keys(web.headers).length === 0;
  const user = textOf(objectOf(jsonOrNull(answer.text))['username']);
  const isKnown = isDone(answer.status) && user !== null;
  const denied = mayWrite ? await deniedWrite(registry, name) : null;
  const unsure = isKnown || mayWrite ? [] : await expectRegistry(registry, name);
  const common = { ...aboutServer(answer), untested: [...unsure, ...(mayWrite ? [] : [writePermission])] };
  if (isDenied(answer) && !isAnonymous) return deniedAccess(web, answer);
  if (denied !== null) return deniedAccess(web, denied);
  // Some registries answer an unknown token without a name; the account's own page needs a known one.
  const own = isKnown || isAnonymous || !isDone(answer.status) ? null : await call(registry, ownPage);
  if (own !== null && isDenied(own)) return deniedAccess(web, own);
  if (isAnonymous) return { ...common, credential: 'none', why: 'it is asked without any' };
  if (!isKnown)
    return { ...common, credential: mayWrite ? 'accepted' : 'unknown', why: 'it does not say whose token this is' };
  const tokens = await call(registry, { method: 'GET', path: '-/npm/v1/tokens' });
  const token = web.headers['authorization']?.slice('Bearer '.length) ?? '';
  const listed = isDone(tokens.status) ? jsonOrNull(tokens.text) : null;
  if (isReadOnly(listed, token))
    return { ...common, credential: 'refused', why: `the token of ${user} is for reading only` };
  return { ...common, credential: 'accepted', why: `as ${user}`, opens: opensMore(listed, token, name) };
}

const ownPage = { method: 'GET', path: '-/npm/v1/user' } as const;

/**
 * Looks for an answer that only a registry gives.
 * @returns what could not be tested: a registry need not answer `-/ping`. @throws DESTINATION_ANSWER where none answers.
 */
async function expectRegistry(registry: Registry, name: string): Promise<readonly string[]> {
  const { web, url } = registry;
  const ping = await call(registry, { method: 'GET', path: '-/ping' });
  if (isPing(ping)) return [];
  const found = await call(registry, { method: 'GET', path: packagePath(name) });
  if (found.status === 200 && parsePackument(jsonOrNull(found.text)) !== null) return [];
  for (let above = new URL('..', url); above.href !== url; above = new URL('..', above)) {
    if (isPing(await call({ ...registry, url: above.href }, { method: 'GET', path: '-/ping' })))
      throw unexpectedAnswer(web.name, `no registry answers at this address; one does at ${above.href}`, url);
    if (above.pathname === '/') break;
  }
  // It says in JSON that it has no such package, or that this is not for everyone; a web server shows a page.
  const isJson = (found.status === 404 || isDenied(found)) && isObject(jsonOrNull(found.text));
  const bare = ({ text, url: asked }: TextAnswer) => text.replaceAll(new URL(asked).pathname, '');
  // A server that knows neither says the same of both.
  if (isJson && bare(found) !== bare(ping)) return [theAddress];
  throw notThisProtocol(web, {
    asked: url,
    answer: found.status === 404 ? ping : found,
    expected: 'no registry answers at this address',
  });
}

function isPing({ status, text }: TextAnswer): boolean {
  return status === 200 && isObject(jsonOrNull(text));
}

/**
 * A document without versions, which publishes nothing.
 * @returns the answer that turns it away for want of rights; null when only the document is at fault.
 * @throws DESTINATION_ANSWER where nothing is published.
 */
async function deniedWrite(registry: Registry, name: string): Promise<TextAnswer | null> {
  const { web, url } = registry;
  const body = () => textBody(JSON.stringify({ _id: name, name, versions: {}, 'dist-tags': {}, _attachments: {} }));
  const answer = await call(registry, { method: 'PUT', path: packagePath(name), body });
  if (isDenied(answer)) return oneTimeTold(answer);
  const isMissing = [404, 405, 410, 501].includes(answer.status);
  if (!isMissing && strangeAnswer(answer, url) === null && answer.status < 500) return null;
  throw notThisProtocol(web, { asked: url, answer, expected: 'nothing is published at this address' });
}

function isObject(value: unknown): boolean {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

async function nameState(registry: Registry, { name, version }: Subject): Promise<NameState> {
  const packument = await fetchPackument(registry, name);
  if (packument === null) return { nameState: 'free', versionState: 'free', why: null };
  const versionState = packument.versions.has(version) ? 'there' : 'free';
  const answer = await call(registry, { method: 'GET', path: '-/whoami' });
  const user = textOf(objectOf(jsonOrNull(answer.text))['username']);
  if (user === null || packument.maintainers.length === 0) return { nameState: 'unknown', versionState, why: null };
  if (packument.maintainers.includes(user)) return { nameState: 'ours', versionState, why: null };
  return { nameState: 'taken', versionState, why: `it belongs to ${packument.maintainers.join(', ')}` };
}

async function withdraw(
  registry: Registry,
  { name, version }: Subject,
  { reason, erase }: WithdrawOrder,
): Promise<Withdrawal> {
  const { web, url } = registry;
  const read = await call(registry, { method: 'GET', path: `${packagePath(name)}?write=true` });
  expectDone(web, `the question for ${name}`, read);
  const document = jsonOrNull(read.text);
  if (erase) return unpublish(registry, { name, version }, document);
  const changed = deprecated(document, version, reason);
  if (changed === null) throw unexpectedAnswer(web.name, `it does not list ${name} ${version}`, url);
  const answer = await call(registry, {
    method: 'PUT',
    path: packagePath(name),
    body: () => textBody(JSON.stringify(changed)),
  });
  expectDone(web, `to deprecate ${name} ${version}`, oneTimeTold(answer));
  const led = Object.entries(objectOf(objectOf(document)['dist-tags'])).flatMap(([tag, to]) =>
    to === version ? [tag] : [],
  );
  const limits = 'users who request exactly this version still get it, with the reason';
  return {
    how: 'deprecated',
    limits:
      led.length === 0
        ? limits
        : `${limits}, and so do all others: ${led.join(', ')} still ${led.length === 1 ? 'leads' : 'lead'} to it (--fall-back-to moves them)`,
  };
}

/** Takes the version out of the document, then its tarball away; registries allow that for a short time, or not at all. */
async function unpublish(
  registry: Registry,
  { name, version }: Pick<Subject, 'name' | 'version'>,
  document: unknown,
): Promise<Withdrawal> {
  const { web, url } = registry;
  const rest = withoutVersion(document, version);
  if (rest === null) throw unexpectedAnswer(web.name, `it does not list ${name} ${version}`, url);
  const path = packagePath(name);
  const file = `${path}/-/${name.split('/').at(-1)}-${version}.tgz`;
  const changed = await call(registry, {
    method: 'PUT',
    path: `${path}/-rev/${rest.revision}`,
    body: () => textBody(JSON.stringify(rest.document)),
  });
  expectErased(registry, changed, `to unpublish ${name} ${version}`);
  const gone = await call(registry, { method: 'DELETE', path: `${file}/-rev/${rest.revision}` });
  if (gone.status !== 404) expectErased(registry, gone, `to delete the tarball of ${name} ${version}`);
  return {
    how: 'deleted',
    limits: 'the version can never be used again, and packages that depend on it cannot be installed',
  };
}

function expectErased({ web }: Registry, answer: TextAnswer, what: string): void {
  if (isDone(answer.status)) return;
  if (answer.status !== 405) throw refused(web, what, oneTimeTold(answer));
  throw new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
    message: `${web.name} cannot delete this version`,
    why: refused(web, what, answer).why,
    fix: 'Omit --erase to deprecate the version with the reason instead',
  });
}

async function isListed(registry: Registry, parcel: ListedParcel): Promise<string | true> {
  const packument = await fetchPackument(registry, parcel.name);
  if (packument === null) return `the index has no ${parcel.name} yet`;
  return packument.versions.has(parcel.version) || `the index does not list ${parcel.version} yet`;
}

const json = { 'content-type': 'application/json' };

/** Says what to do where a registry wanted a one-time password and there was none. */
function oneTimeTold(answer: TextAnswer): TextAnswer {
  if (answer.status !== 401 || !/\botp\b/i.test(String(answer.headers['www-authenticate'] ?? ''))) return answer;
  const text = JSON.stringify({ error: 'it wants a one-time password; name one with `one-time: env:NAME`' });
  return { ...answer, text };
}

/** How many bytes become one text of base64. A multiple of three. */
const textBytes = 3 << 13;

/** The document with the file's base64 in its middle, never whole in memory. */
async function* documentChunks(
  { before, behind }: { readonly before: string; readonly behind: string },
  parcel: Parcel,
  moved: (bytes: number) => void,
): AsyncGenerator<Uint8Array> {
  yield Buffer.from(before);
  // Small texts are gone again at once; every piece but the last is a multiple of three, so they join without padding.
  for await (const piece of sentBytes(parcel, moved)) {
    const encoded = Buffer.allocUnsafeSlow(Math.ceil(piece.length / 3) * 4);
    for (let at = 0; at < piece.length; at += textBytes)
      encoded.write(piece.toString('base64', at, Math.min(at + textBytes, piece.length)), (at / 3) * 4, 'latin1');
    yield encoded;
  }
  yield Buffer.from(behind);
}
