import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fill } from '../../core/protocol/address-template.ts';
import { formatSums, parseSums } from '../../core/protocol/folder/shelf-page.ts';
import { parseMultistatus } from '../../core/protocol/http-put/webdav.ts';
import { withSlash } from '../../core/protocol/traits.ts';
import { type Collections, collectionsBelow } from '../../store/collections.ts';
import { type Connection, webOf } from '../../store/connection.ts';
import { changeRemoteText, deleteAt, ensureRemoteText, presenceAt, putParcel } from '../../store/http-files.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import { callText, openAddress, type Web } from '../../store/web.ts';
import { accessByFile } from '../../store/written-access.ts';
import {
  type Destination,
  makeDestination,
  type Pointed,
  type Sending,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';

/** Where the store is. */
export type HttpPutSettings = { readonly web: Web; readonly url: string; readonly under: string };

/** What is known of a store; `base` ends with a slash. */
type HttpStore = {
  readonly web: Web;
  readonly base: string;
  /** Template of the folder of a release. */
  readonly under: string;
  readonly collections: Collections;
};

/** Any store that takes PUT; where it is a WebDAV server, collections are made when they are missing. */
export function connectHttpPut(connection: Connection): Destination {
  const { name, config } = connection;
  const base = withSlash(connection.url);
  const web = webOf(connection);
  const store: HttpStore = { web, base, under: config.under, collections: collectionsBelow(web, base) };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url: base }, store, {
    access,
    nameState,
    find,
    deliver,
    open: (_store, address) => openAddress(web, address),
    isListed,
    point,
    fallBack: async () => [],
    withdraw,
  });
}

async function find(store: HttpStore, parcel: Parcel): Promise<Presence> {
  return presenceAt(store.web, `${store.base}${pathOf(store, parcel)}`, parcel);
}

async function isListed(store: HttpStore, parcel: ListedParcel): Promise<string | true> {
  const found = await callText(store.web, { method: 'HEAD', url: `${store.base}${pathOf(store, parcel)}` });
  return found.status === 200 || `it answers ${found.status} for the file`;
}

function folderOf({ under, web }: HttpStore, subject: Subject): string {
  const path = fill(under, subject);
  if (!path.split('/').some((part) => part === '..' || part === '.')) return encode(path);
  throw new BevelstoneError('DESTINATION_REFUSED', {
    message: `the path leaves ${web.name}: ${path}`,
    why: 'it is not below the address',
    fix: 'Correct `under` of the destination',
  });
}

function pathOf(store: HttpStore, parcel: ListedParcel): string {
  return `${folderOf(store, parcel)}${encode(parcel.fileName).slice(0, -1)}`;
}

async function deliver(store: HttpStore, parcel: Parcel, { moved }: Sending): Promise<string> {
  const { base, web } = store;
  const path = pathOf(store, parcel);
  await store.collections.ensure(path);
  const address = `${base}${path}`;
  await putParcel({ web, url: address, parcel, moved });
  return address;
}

async function point(store: HttpStore, all: readonly Parcel[]): Promise<Pointed[]> {
  const { web, base } = store;
  const [parcel] = all;
  if (parcel === undefined) return [];
  for (const parcel of all)
    await ensureRemoteText(
      web,
      `${base}${pathOf(store, parcel)}.sha256`,
      formatSums(new Map([[parcel.fileName, parcel.sha256]])),
    );
  const moved = await changeRemoteText({
    web,
    url: `${base}${folderOf(store, parcel)}SHA256SUMS`,
    change: (text) =>
      formatSums(
        new Map([...parseSums(text ?? ''), ...all.map(({ fileName, sha256 }) => [fileName, sha256] as const)]),
      ),
  });
  return [{ pointer: 'SHA256SUMS', from: null, moved }];
}

/** An authenticated read of the folder where the release will lie; and with `mayWrite` a small file that comes and goes. */
async function access(store: HttpStore, subject: Subject, { mayWrite }: Asking): Promise<Access> {
  const { web, base } = store;
  const read = await callText(web, { method: 'GET', url: `${base}${folderOf(store, subject)}SHA256SUMS` });
  return accessByFile({ web, base, fileFor: (name) => `${name}.txt`, mayWrite }, read);
}

/** Where the store lists its collections, what lies in the folder of a release is seen. */
async function nameState(store: HttpStore, subject: Subject): Promise<NameState> {
  const { web, base } = store;
  const answer = await callText(web, {
    method: 'PROPFIND',
    url: `${base}${folderOf(store, subject)}`,
    headers: { depth: '1' },
  });
  if (answer.status === 404) return { nameState: 'ours', versionState: 'free', why: null } as const;
  const paths = answer.status === 207 ? parseMultistatus(answer.text) : null;
  if (paths === null)
    return { nameState: 'ours', versionState: 'unknown', why: 'it does not list what it holds' } as const;
  const isThere = paths.some((path) => !path.endsWith('/'));
  return { nameState: 'ours', versionState: isThere ? 'there' : 'free', why: null } as const;
}

async function withdraw(store: HttpStore, subject: Subject, { delivered }: WithdrawOrder): Promise<Withdrawal> {
  const { web, base } = store;
  const names = new Set(delivered.map(({ artifact }) => artifact));
  // Where it lies follows from the release; the address on record could name any other file.
  for (const { artifact } of delivered)
    for (const ending of ['', '.sha256'])
      await deleteAt(web, `${base}${folderOf(store, subject)}${encode(artifact).slice(0, -1)}${ending}`);
  await changeRemoteText({
    web,
    url: `${base}${folderOf(store, subject)}SHA256SUMS`,
    change: (text) =>
      text === null ? null : formatSums(new Map([...parseSums(text)].filter(([name]) => !names.has(name)))),
  });
  return { how: 'deleted', limits: 'copies that others took are not called back' };
}

/** A path with every part encoded and `/` behind. */
function encode(path: string): string {
  return path
    .split('/')
    .filter(Boolean)
    .map((part) => `${encodeURIComponent(part)}/`)
    .join('');
}
