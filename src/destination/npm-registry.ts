import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import {
  encodePublishDocument,
  integrityOf,
  type Packument,
  packagePath,
  parsePackument,
} from '../core/protocol/npm-document.ts';
import { cleanText } from '../core/text/clean.ts';
import { pointerFor } from '../core/version/pointer.ts';
import { type HttpAnswer, type HttpRequest, readText, send } from '../world/http.ts';
import type { Confirmation, Destination, Parcel, Pointed, Presence } from './destination.ts';

/** Where a registry is and how it lets us in. */
export type NpmRegistrySettings = {
  readonly name: string;
  readonly url: string;
  readonly token: string | null;
  readonly access: 'public' | 'restricted' | null;
  readonly signal: AbortSignal;
};

/** A registry that speaks the npm client's protocol. */
export function npmRegistry(settings: NpmRegistrySettings): Destination {
  const registry = settings.url.endsWith('/') ? settings.url : `${settings.url}/`;
  const call = (method: HttpRequest['method'], path: string, body?: HttpRequest['body'], accept = 'application/json') =>
    send({
      method,
      url: `${registry}${path}`,
      headers: {
        accept,
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(settings.token === null ? {} : { authorization: `Bearer ${settings.token}` }),
      },
      ...(body === undefined ? {} : { body }),
      signal: settings.signal,
    });

  const fetchPackument = async (name: string): Promise<Packument | null> => {
    const answer = await call('GET', packagePath(name));
    const text = await readText(answer, registry);
    if (answer.status === 404) return null;
    if (answer.status !== 200) throw refused(settings.name, `the question for ${name}`, answer, text);
    const packument = parsePackument(parseJson(text));
    if (packument !== null) return packument;
    throw new BevelstoneError('DESTINATION_ANSWER', {
      message: `${settings.name} did not answer like a registry`,
      why: 'what it sent for the package is no package document',
      fix: `Check the address: ${registry}`,
    });
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

  const deliver = async (parcel: Parcel): Promise<string> => {
    const versions = (await fetchPackument(parcel.name))?.versions.keys() ?? [];
    const { before, behind } = encodePublishDocument({
      manifest: parcel.manifest ?? {},
      name: parcel.name,
      version: parcel.version,
      readme: parcel.readme,
      tag: pointerFor(parcel.version, parcel.stream, versions),
      access: settings.access,
      registry,
      sizeBytes: parcel.sizeBytes,
      sha1: parcel.sha1,
      sha512: parcel.sha512,
    });
    const sizeBytes = Buffer.byteLength(before) + Math.ceil(parcel.sizeBytes / 3) * 4 + Buffer.byteLength(behind);
    const answer = await call('PUT', packagePath(parcel.name), {
      chunks: documentChunks(before, parcel.file, behind),
      sizeBytes,
    });
    const text = await readText(answer, registry);
    if (answer.status < 200 || answer.status > 299)
      throw refused(settings.name, `${parcel.name} ${parcel.version}`, answer, text);
    const found = await find(parcel);
    if (found.type === 'same') return found.address;
    throw new BevelstoneError('DESTINATION_ANSWER', {
      message: `${settings.name} took ${parcel.name} ${parcel.version} and does not list it`,
      why: found.type === 'different' ? found.why : 'the version is missing from its document',
      fix: 'Wait a little and run the same command again; it asks first',
    });
  };

  const confirm = async (parcel: Parcel, address: string): Promise<Confirmation> => {
    const path = new URL(address).origin === new URL(registry).origin ? address : null;
    if (path === null) return { confirmed: 'no', why: `its address ${address} is on another server` };
    const answer = await send({
      method: 'GET',
      url: address,
      ...authorization(settings.token),
      signal: settings.signal,
    });
    const hash = createHash('sha256');
    for await (const chunk of answer.chunks) hash.update(chunk);
    if (answer.status !== 200) return { confirmed: 'no', why: `fetching it back gave ${answer.status}` };
    return hash.digest('hex') === parcel.sha256
      ? { confirmed: 'bytes', why: null }
      : { confirmed: 'no', why: 'other bytes came back' };
  };

  const point = async (parcel: Parcel): Promise<Pointed> => {
    const packument = await fetchPackument(parcel.name);
    const pointer = pointerFor(parcel.version, parcel.stream, packument?.versions.keys() ?? []);
    const from = packument?.tags[pointer] ?? null;
    if (from === parcel.version) return { pointer, from, moved: false };
    const text = JSON.stringify(parcel.version);
    const body = { chunks: textChunks(text), sizeBytes: Buffer.byteLength(text) };
    const answer = await call(
      'PUT',
      `-/package/${packagePath(parcel.name)}/dist-tags/${encodeURIComponent(pointer)}`,
      body,
    );
    const said = await readText(answer, registry);
    if (answer.status < 200 || answer.status > 299)
      throw refused(settings.name, `the dist-tag ${pointer}`, answer, said);
    return { pointer, from, moved: true };
  };

  return { name: settings.name, speaks: 'npm-registry', url: registry, find, deliver, confirm, point };
}

/** The document with the file's base64 in its middle, never whole in memory; chunks of 3-byte multiples join without padding. */
async function* documentChunks(before: string, file: string, behind: string): AsyncGenerator<Uint8Array> {
  yield Buffer.from(before);
  let rest = Buffer.alloc(0);
  for await (const chunk of createReadStream(file, { highWaterMark: 3 * (1 << 16) }) as AsyncIterable<Buffer>) {
    const all = rest.length === 0 ? chunk : Buffer.concat([rest, chunk]);
    const whole = all.length - (all.length % 3);
    yield Buffer.from(all.toString('base64', 0, whole), 'latin1');
    rest = Buffer.from(all.subarray(whole));
  }
  yield Buffer.from(rest.toString('base64') + behind, 'latin1');
}

async function* textChunks(text: string): AsyncGenerator<Uint8Array> {
  yield Buffer.from(text);
}

function authorization(token: string | null): { headers?: Record<string, string> } {
  return token === null ? {} : { headers: { authorization: `Bearer ${token}` } };
}

function parseJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

/** What a refusal of a registry means, with its own words. */
function refused(destination: string, what: string, { status }: HttpAnswer, body: string): BevelstoneError {
  const said = saidOf(body);
  const why = `it answered ${status}${said === '' ? '' : `: ${said}`}`;
  if (status === 401 || status === 403) {
    return new BevelstoneError('CREDENTIAL_REFUSED', {
      message: `${destination} refused ${what}`,
      why,
      fix:
        status === 401
          ? 'Give the destination a `credential`, or a token that is still valid'
          : 'Use a token that may publish this package',
    });
  }
  return new BevelstoneError('DESTINATION_REFUSED', {
    message: `${destination} refused ${what}`,
    why,
    fix:
      status === 409
        ? 'This version exists there already; release a higher one'
        : 'Settle what it complains about, then run the same command again',
  });
}

function saidOf(body: string): string {
  const value = parseJson(body);
  const error = typeof value === 'object' && value !== null ? (value as Record<string, unknown>)['error'] : null;
  return cleanText(typeof error === 'string' ? error : body.slice(0, 200)).trim();
}
