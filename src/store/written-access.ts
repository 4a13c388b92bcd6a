import { randomBytes } from 'node:crypto';
import { conditionalWrites, theAddress, writePermission } from '../core/protocol/untested.ts';
import { aboutServer, deniedAccess, isDenied } from './access.ts';
import type { Access } from './parcel.ts';
import {
  callText,
  isDone,
  notThisProtocol,
  refused,
  strangeAnswer,
  type TextAnswer,
  textBody,
  type Web,
} from './web.ts';

/** Where files are put, and where the probe's own file may come and go. */
export type PutPlace = {
  readonly web: Web;
  /** The configured address, with `/` behind. */
  readonly base: string;
  /** Path below it for a file of this name, as the layout wants it. */
  readonly fileFor: (name: string) => string;
  readonly mayWrite: boolean;
  /** Whether others write the same files too, so that conditions matter. */
  readonly needsConditions?: boolean;
};

/**
 * What a server of files says to a credential. @param read the answer to an authenticated read below the address.
 * @throws DESTINATION_ANSWER where it shows that nothing can be put at this address.
 */
export async function accessByFile(place: PutPlace, read: TextAnswer): Promise<Access> {
  const { web, base, mayWrite } = place;
  if (isDenied(read)) return deniedAccess(web, read);
  if (strangeAnswer(read, base) !== null)
    throw notThisProtocol(web, { asked: base, answer: read, expected: 'this is not where files are put' });
  if (read.status >= 500 && read.status !== 501) throw refused(web, 'the question what is there', read);
  const isAnonymous = Object.keys(web.headers).length === 0;
  const common = { ...aboutServer(read), why: null };
  if (mayWrite) return writeOnce(place, common);
  const conditions = place.needsConditions === true ? [conditionalWrites] : [];
  const untested = [writePermission, ...(await untestedAddress(place)), ...conditions];
  return { ...common, credential: isAnonymous ? 'none' : 'unknown', untested };
}

/**
 * Whether the address itself is there: a WebDAV server says so (RFC 4918 §9.1), others may show nothing of a folder.
 * @throws DESTINATION_ANSWER for a folder that a WebDAV server does not have, or a server that takes no files there.
 */
async function untestedAddress({ web, base, fileFor }: PutPlace): Promise<string[]> {
  // Of a file: a folder may allow less than what lies in it.
  const options = await callText(web, { method: 'OPTIONS', url: `${base}${fileFor('probe')}` });
  const allowed = String(options.headers['allow'] ?? '').toUpperCase();
  if (allowed !== '' && !/\bPUT\b/.test(allowed) && options.headers['dav'] === undefined)
    throw notThisProtocol(web, {
      asked: base,
      answer: options,
      expected: `it takes no files at this address (Allow: ${allowed})`,
    });
  if (options.headers['dav'] !== undefined) {
    const found = await callText(web, { method: 'PROPFIND', url: base, headers: { depth: '0' } });
    if (found.status === 207) return [];
    if (found.status === 404 || found.status === 409)
      throw notThisProtocol(web, {
        asked: base,
        answer: found,
        expected: 'there is no such collection, and it is not made from here',
      });
  }
  const folder = await callText(web, { method: 'GET', url: base });
  if (/login|maintenance/.test(strangeAnswer(folder, base) ?? ''))
    throw notThisProtocol(web, { asked: base, answer: folder, expected: 'this is not where files are put' });
  // A server that shows no lists forbids a folder that is there, and misses one that is not.
  return isDone(folder.status) || folder.status === 403 ? [] : [theAddress];
}

/** How indexes are written where a server pays no heed to conditions, in words. */
const checkedIndexes =
  'it pays no heed to conditions: indexes are written under a lock, or read back and written again';

/** A small file that is put where nothing is, and deleted again. */
async function writeOnce(
  { web, base, fileFor, needsConditions }: PutPlace,
  common: Omit<Access, 'credential'>,
): Promise<Access> {
  const url = `${base}${fileFor(`probe-${randomBytes(6).toString('hex')}`)}`;
  const headers = { 'content-type': 'text/plain', 'if-none-match': '*' };
  const put = await callText(web, { method: 'PUT', url, headers, body: textBody('probe\n') });
  if (isDenied(put)) return deniedAccess(web, put);
  if (!isDone(put.status))
    throw notThisProtocol(web, { asked: url, answer: put, expected: 'it does not take a small file there' });
  // The same again must fail, if conditions count.
  const again =
    needsConditions === true ? await callText(web, { method: 'PUT', url, headers, body: textBody('probe\n') }) : null;
  const gone = await callText(web, { method: 'DELETE', url });
  const stays =
    isDone(gone.status) || gone.status === 404
      ? null
      : `${url} could not be deleted (${gone.status}); delete it yourself`;
  const isAnonymous = Object.keys(web.headers).length === 0;
  const why = stays ?? (again === null || again.status === 412 ? null : checkedIndexes);
  return { ...common, credential: isAnonymous ? 'none' : 'accepted', why };
}
