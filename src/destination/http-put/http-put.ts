import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { formatSums, parseSums } from '../../core/protocol/folder/shelf-page.ts';
import { collectionsOf, parseMultistatus } from '../../core/protocol/http-put/webdav.ts';
import { fill } from '../address-template.ts';
import type { Access, Destination, Parcel, Subject } from '../destination.ts';
import { changeRemoteText, deleteAt, ensureRemoteText, presenceAt, putParcel } from '../http-files.ts';
import { callText, isDone, openAddress, refused, skewOf, type Web } from '../web.ts';

/** Where the store is. */
export type HttpPutSettings = { readonly web: Web; readonly url: string; readonly under: string };

/** Any store that takes PUT; where it is a WebDAV server, collections are made when they are missing. */
export function httpPut({ web, url, under }: HttpPutSettings): Destination {
  const base = url.endsWith('/') ? url : `${url}/`;
  const made = new Set<string>();
  const folderOf = (subject: Subject) => {
    const path = fill(under, subject);
    if (!path.split('/').some((part) => part === '..' || part === '.')) return encode(path);
    throw new BevelstoneError('DESTINATION_REFUSED', {
      message: `${web.name} would be left: ${path}`,
      why: 'it climbs out of the address',
      fix: 'Correct `under` of the destination',
    });
  };
  const pathOf = (parcel: Parcel) => `${folderOf(parcel)}${encode(parcel.fileName).slice(0, -1)}`;

  /** Asks once whether it is a WebDAV server (RFC 4918 §10.1); then its collections come before its files (§9.7.1). */
  let isDav: Promise<boolean> | null = null;
  const asksForCollections = () => {
    isDav ??= callText(web, { method: 'OPTIONS', url: base }).then((answer) => answer.headers['dav'] !== undefined);
    return isDav;
  };
  const makeCollections = async (path: string) => {
    for (const collection of collectionsOf(path).filter((one) => !made.has(one))) {
      const answer = await callText(web, { method: 'MKCOL', url: `${base}${collection}` });
      // 405: there is one already (RFC 4918 §9.3.1); some servers say 301 or 409 of one that is there.
      if (!isDone(answer.status) && ![405, 301, 409].includes(answer.status))
        throw refused(web, `the collection ${collection}`, answer);
      made.add(collection);
    }
  };

  const deliver: Destination['deliver'] = async (parcel, { moved }) => {
    const path = pathOf(parcel);
    if (await asksForCollections()) await makeCollections(path);
    const address = `${base}${path}`;
    await putParcel(web, address, parcel, moved);
    return address;
  };

  const point: Destination['point'] = async (all) => {
    const [parcel] = all;
    if (parcel === undefined) return [];
    for (const one of all)
      await ensureRemoteText(web, `${base}${pathOf(one)}.sha256`, formatSums(new Map([[one.fileName, one.sha256]])));
    const moved = await changeRemoteText(web, `${base}${folderOf(parcel)}SHA256SUMS`, (text) =>
      formatSums(
        new Map([...parseSums(text ?? ''), ...all.map(({ fileName, sha256 }) => [fileName, sha256] as const)]),
      ),
    );
    return [{ pointer: 'SHA256SUMS', from: null, moved }];
  };

  const access: Destination['access'] = async (): Promise<Access> => {
    const answer = await callText(web, { method: 'OPTIONS', url: base });
    const common = { opens: 'unknown', skewMs: skewOf(answer) } as const;
    if (answer.status === 401 || answer.status === 403)
      return { credential: 'refused', why: refused(web, 'the credential', answer).why, ...common };
    const isAnonymous = Object.keys(web.headers).length === 0;
    const why = 'the protocol has no way to ask what a credential may do';
    return { credential: isAnonymous ? 'none' : 'unknown', why, ...common };
  };

  /** Where the store lists its collections, what lies in the folder of a release is seen. */
  const nameState = async (subject: Subject) => {
    const answer = await callText(web, {
      method: 'PROPFIND',
      url: `${base}${folderOf(subject)}`,
      headers: { depth: '1' },
    });
    if (answer.status === 404) return { nameState: 'ours', versionState: 'free', why: null } as const;
    const paths = answer.status === 207 ? parseMultistatus(answer.text) : null;
    if (paths === null)
      return { nameState: 'ours', versionState: 'unknown', why: 'it does not list what it holds' } as const;
    const isThere = paths.some((path) => !path.endsWith('/'));
    return { nameState: 'ours', versionState: isThere ? 'there' : 'free', why: null } as const;
  };

  const withdraw: Destination['withdraw'] = async (subject, delivered) => {
    const names = new Set(delivered.map(({ artifact }) => artifact));
    // Where it lies follows from the release; the address on record could name any other file.
    for (const { artifact } of delivered)
      for (const ending of ['', '.sha256'])
        await deleteAt(web, `${base}${folderOf(subject)}${encode(artifact).slice(0, -1)}${ending}`);
    await changeRemoteText(web, `${base}${folderOf(subject)}SHA256SUMS`, (text) =>
      text === null ? null : formatSums(new Map([...parseSums(text)].filter(([name]) => !names.has(name)))),
    );
    return { how: 'deleted', limits: 'copies that others took are not called back' };
  };

  const { name } = web;
  return {
    name,
    speaks: 'http-put',
    url: base,
    access,
    nameState,
    find: (parcel) => presenceAt(web, `${base}${pathOf(parcel)}`, parcel),
    deliver,
    open: (address) => openAddress(web, address),
    isListed: async (parcel) => {
      const found = await callText(web, {
        method: 'HEAD',
        url: `${base}${folderOf(parcel)}${encode(parcel.fileName).slice(0, -1)}`,
      });
      return found.status === 200 || `it answers ${found.status} for the file`;
    },
    point,
    withdraw,
  };
}

/** A path with every part encoded and `/` behind. */
function encode(path: string): string {
  return path
    .split('/')
    .filter(Boolean)
    .map((part) => `${encodeURIComponent(part)}/`)
    .join('');
}
