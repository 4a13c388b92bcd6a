import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { objectOf, textOf } from '../../core/manifest/fields.ts';
import {
  deprecated,
  encodePublishDocument,
  integrityOf,
  opensMore,
  type Packument,
  packagePath,
  parsePackument,
  withoutVersion,
} from '../../core/protocol/npm-registry/npm-document.ts';
import { pointerFor } from '../../core/version/pointer.ts';
import type { HttpRequest } from '../../world/http.ts';
import type { Access, Destination, NameState, Parcel, Pointed, Presence, Withdrawal } from '../destination.ts';
import { parcelBytes } from '../parcel-bytes.ts';
import {
  callText,
  expectDone,
  isDone,
  openAddress,
  parseJson,
  refused,
  skewOf,
  strangeAnswer,
  type TextAnswer,
  textBody,
  type Web,
} from '../web.ts';

/** Where a registry is and how it lets us in. */
export type NpmRegistrySettings = {
  readonly web: Web;
  readonly url: string;
  readonly access: 'public' | 'restricted' | null;
  /** A one-time password, asked for when the registry wants one; null when nobody can be asked. */
  readonly oneTime: () => Promise<string | null>;
};

/** A registry that speaks the npm client's protocol. */
export function npmRegistry({ web, url, access: visibility, oneTime }: NpmRegistrySettings): Destination {
  const registry = url.endsWith('/') ? url : `${url}/`;

  /** Asks again with a one-time password where the registry wants one (`www-authenticate: OTP`). */
  const call = async (method: HttpRequest['method'], path: string, body?: () => HttpRequest['body']) => {
    const ask = (headers: Record<string, string>) => {
      const content = body?.();
      return callText(web, {
        method,
        url: `${registry}${path}`,
        headers: { accept: 'application/json', ...(content === undefined ? {} : json), ...headers },
        ...(content === undefined ? {} : { body: content }),
      });
    };
    const answer = await ask({});
    if (answer.status !== 401 || !/\botp\b/i.test(String(answer.headers['www-authenticate'] ?? ''))) return answer;
    const password = await oneTime();
    return password === null ? answer : ask({ 'npm-otp': password });
  };

  const fetchPackument = async (name: string): Promise<Packument | null> => {
    const answer = await call('GET', packagePath(name));
    if (answer.status === 404) return null;
    if (answer.status !== 200) throw refused(web, `the question for ${name}`, answer);
    const packument = parsePackument(parseJson(answer.text));
    if (packument !== null) return packument;
    throw strangeAnswer(web.name, 'what it sent for the package is no package document', registry);
  };

  const find = async (parcel: Parcel): Promise<Presence> => {
    const there = (await fetchPackument(parcel.name))?.versions.get(parcel.version);
    if (there === undefined) return { type: 'absent' };
    const isSame =
      there.integrity === null
        ? there.shasum === parcel.sha1
        : there.integrity.split(/\s+/).includes(integrityOf(parcel.sha512));
    if (isSame) return { type: 'same', address: there.tarball ?? registry };
    return {
      type: 'different',
      why: `its integrity is ${there.integrity ?? there.shasum ?? 'unknown'}, ours ${integrityOf(parcel.sha512)}`,
    };
  };

  const deliver: Destination['deliver'] = async (parcel, { moved }) => {
    const versions = (await fetchPackument(parcel.name))?.versions.keys() ?? [];
    const { before, behind } = encodePublishDocument({
      manifest: parcel.manifest ?? {},
      name: parcel.name,
      version: parcel.version,
      readme: parcel.readme,
      tag: pointerFor(parcel.version, parcel.stream, versions),
      access: visibility,
      registry,
      sizeBytes: parcel.sizeBytes,
      sha1: parcel.sha1,
      sha512: parcel.sha512,
    });
    const sizeBytes = Buffer.byteLength(before) + Math.ceil(parcel.sizeBytes / 3) * 4 + Buffer.byteLength(behind);
    const answer = await call('PUT', packagePath(parcel.name), () => ({
      chunks: documentChunks(before, parcel, moved, behind),
      sizeBytes,
    }));
    expectDone(web, `${parcel.name} ${parcel.version}`, oneTimeTold(answer));
    const found = await find(parcel);
    if (found.type === 'same') return found.address;
    throw strangeAnswer(
      web.name,
      found.type === 'different' ? found.why : `it took ${parcel.name} ${parcel.version} and does not list it`,
      registry,
    );
  };

  const point = async (all: readonly Parcel[]): Promise<Pointed[]> => {
    const [parcel] = all;
    if (parcel === undefined) return [];
    const packument = await fetchPackument(parcel.name);
    const pointer = pointerFor(parcel.version, parcel.stream, packument?.versions.keys() ?? []);
    const from = packument?.tags[pointer] ?? null;
    if (from === parcel.version) return [{ pointer, from, moved: false }];
    const path = `-/package/${packagePath(parcel.name)}/dist-tags/${encodeURIComponent(pointer)}`;
    const answer = await call('PUT', path, () => textBody(JSON.stringify(parcel.version)));
    expectDone(web, `the dist-tag ${pointer}`, oneTimeTold(answer));
    return [{ pointer, from, moved: true }];
  };

  const access: Destination['access'] = async ({ name }): Promise<Access> => {
    const answer = await call('GET', '-/whoami');
    const skewMs = skewOf(answer);
    const none = { opens: 'unknown', skewMs } as const;
    if (Object.keys(web.headers).length === 0) return { credential: 'none', why: 'it is asked without any', ...none };
    if (answer.status === 401 || answer.status === 403)
      return { credential: 'refused', why: refused(web, 'the credential', answer).why, ...none };
    const user = textOf(objectOf(parseJson(answer.text))['username']);
    if (!isDone(answer.status)) return { credential: 'unknown', why: 'it does not say who we are', ...none };
    const tokens = await call('GET', '-/npm/v1/tokens');
    const token = web.headers['authorization']?.slice('Bearer '.length) ?? '';
    const opens = isDone(tokens.status) ? opensMore(parseJson(tokens.text), token, name) : 'unknown';
    return { credential: 'accepted', why: user === null ? null : `as ${user}`, opens, skewMs };
  };

  const nameState: Destination['nameState'] = async ({ name, version }): Promise<NameState> => {
    const packument = await fetchPackument(name);
    if (packument === null) return { nameState: 'free', versionState: 'free', why: null };
    const versionState = packument.versions.has(version) ? 'there' : 'free';
    const answer = await call('GET', '-/whoami');
    const user = textOf(objectOf(parseJson(answer.text))['username']);
    if (user === null || packument.maintainers.length === 0) return { nameState: 'unknown', versionState, why: null };
    if (packument.maintainers.includes(user)) return { nameState: 'ours', versionState, why: null };
    return { nameState: 'taken', versionState, why: `it belongs to ${packument.maintainers.join(', ')}` };
  };

  const withdraw: Destination['withdraw'] = async ({ name, version }, _, { reason, erase }): Promise<Withdrawal> => {
    const read = await call('GET', `${packagePath(name)}?write=true`);
    expectDone(web, `the question for ${name}`, read);
    const document = parseJson(read.text);
    if (erase) return unpublish(name, version, document);
    const changed = deprecated(document, version, reason);
    if (changed === null) throw strangeAnswer(web.name, `it does not list ${name} ${version}`, registry);
    const answer = await call('PUT', packagePath(name), () => textBody(JSON.stringify(changed)));
    expectDone(web, `to deprecate ${name} ${version}`, oneTimeTold(answer));
    return { how: 'deprecated', limits: 'whoever asks for exactly this version still gets it, with the reason' };
  };

  /** Takes the version out of the document, then its tarball away; registries allow that for a short time, or not at all. */
  const unpublish = async (name: string, version: string, document: unknown): Promise<Withdrawal> => {
    const rest = withoutVersion(document, version);
    if (rest === null) throw strangeAnswer(web.name, `it does not list ${name} ${version}`, registry);
    const path = packagePath(name);
    const file = `${path}/-/${name.split('/').at(-1)}-${version}.tgz`;
    const changed = await call('PUT', `${path}/-rev/${rest.revision}`, () => textBody(JSON.stringify(rest.document)));
    expectErased(changed, `to unpublish ${name} ${version}`);
    const gone = await call('DELETE', `${file}/-rev/${rest.revision}`);
    if (gone.status !== 404) expectErased(gone, `to delete the tarball of ${name} ${version}`);
    return { how: 'deleted', limits: 'the version can never be used again, and whoever depends on it is stuck' };
  };

  const expectErased = (answer: TextAnswer, what: string): void => {
    if (isDone(answer.status)) return;
    if (answer.status !== 405) throw refused(web, what, oneTimeTold(answer));
    throw new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
      message: `${web.name} does not erase this version`,
      why: refused(web, what, answer).why,
      fix: 'Leave --erase out: the version is then deprecated, with the reason',
    });
  };

  const isListed: Destination['isListed'] = async (parcel) => {
    const packument = await fetchPackument(parcel.name);
    if (packument === null) return `the index has no ${parcel.name} yet`;
    return packument.versions.has(parcel.version) || `the index does not list ${parcel.version} yet`;
  };

  const open: Destination['open'] = (address) => openAddress(web, address);
  const { name } = web;
  return {
    name,
    speaks: 'npm-registry',
    url: registry,
    access,
    nameState,
    find,
    deliver,
    open,
    isListed,
    point,
    withdraw,
  };
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
  before: string,
  parcel: Parcel,
  moved: (bytes: number) => void,
  behind: string,
): AsyncGenerator<Uint8Array> {
  yield Buffer.from(before);
  // Small texts are gone again at once; every piece but the last is a multiple of three, so they join without padding.
  for await (const piece of parcelBytes(parcel, moved)) {
    const encoded = Buffer.allocUnsafeSlow(Math.ceil(piece.length / 3) * 4);
    for (let at = 0; at < piece.length; at += textBytes)
      encoded.write(piece.toString('base64', at, Math.min(at + textBytes, piece.length)), (at / 3) * 4, 'latin1');
    yield encoded;
  }
  yield Buffer.from(behind);
}
