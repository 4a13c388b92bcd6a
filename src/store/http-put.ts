import { parseMultistatus } from '../core/protocol/http-put/webdav.ts';
import { withSlash } from '../core/protocol/traits.ts';
import { collectionsBelow } from './collections.ts';
import { type Connection, webOf } from './connection.ts';
import { deleteAt, ensureRemoteText, presenceAt, putParcel, readRemoteText } from './http-files.ts';
import type { Access } from './parcel.ts';
import type { Store, StoreProbe } from './store.ts';
import { callText, notThisProtocol, openAddress, untrustedOrigin, type Web } from './web.ts';
import { accessByFile } from './written-access.ts';
import { indexWriter } from './written-indexes.ts';

/** A server that takes files by PUT, WebDAV or not. */
export function openHttpPut(connection: Connection): Store {
  const web = webOf(connection);
  const base = withSlash(new URL(connection.url).href);
  const collections = collectionsBelow(web, base);
  const addressOf = (path: string) => `${base}${encodePath(path)}`;
  const writeIndex = indexWriter({ web, base, collections });
  return {
    url: base,
    readerBase: base,
    needsFolderPages: false,
    addressOf,
    pathAt: (address) => pathAt(web, base, address),
    presence: (path, parcel) => presenceAt(web, addressOf(path), parcel),
    send: async (path, parcel, moved) => {
      await collections.ensure(encodePath(path));
      await putParcel({ web, url: addressOf(path), parcel, moved });
    },
    open: (address) => openAddress(web, address),
    read: (path) => readRemoteText(web, addressOf(path)),
    write: async (path, text, before) => {
      await collections.ensure(encodePath(path));
      return writeIndex({ url: addressOf(path), text, before });
    },
    ensure: async (path, text) => {
      await collections.ensure(encodePath(path));
      await ensureRemoteText(web, addressOf(path), text);
    },
    remove: (path) => deleteAt(web, addressOf(path)),
    list: (folder) => list(web, addressOf(folder)),
    together: (work) => work(),
    isAlone: () => false,
    access: (probe) => access(web, base, probe),
  };
}

/** Every part encoded but what an address may have as it is (RFC 3986 §3.3): clients ask for `@v` and `!a`. */
export function encodePath(path: string): string {
  return path
    .split('/')
    .map((part) => encodeURIComponent(part).replace(/%(?:40|3A|24|2C|2B|3D|3B|26)/g, decodeURIComponent))
    .join('/');
}

/** An address on record may be anything, and only one of this store has a path. */
function pathAt(web: Web, base: string, address: string): string {
  if (!address.startsWith(base) || /[?#]/.test(address)) throw untrustedOrigin(web, address);
  return address.slice(base.length).split('/').map(decodeURIComponent).join('/');
}

async function list(web: Web, url: string): Promise<readonly string[] | null> {
  const answer = await callText(web, { method: 'PROPFIND', url, headers: { depth: '1' } });
  if (answer.status === 404) return [];
  const paths = answer.status === 207 ? parseMultistatus(answer.text) : null;
  return paths === null
    ? null
    : paths.filter((path) => !path.endsWith('/')).flatMap((path) => path.split('/').at(-1) ?? []);
}

/** An authenticated read of an index; and with `mayWrite` a small file that comes and goes. */
async function access(web: Web, base: string, probe: StoreProbe): Promise<Access> {
  const { known, whyStrange, fileFor, mayWrite } = probe;
  const read = await callText(web, { method: 'GET', url: `${base}${encodePath(known)}` });
  const why = read.status === 200 ? whyStrange(read.text) : null;
  if (why !== null) throw notThisProtocol(web, { asked: base, answer: read, expected: why });
  return accessByFile({ web, base, fileFor, mayWrite, needsConditions: true }, read);
}
