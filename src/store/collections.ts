import { collectionsOf } from '../core/protocol/http-put/webdav.ts';
import { once } from './once.ts';
import { callText, isDone, refused, type Web } from './web.ts';

/** Collections of a server of files, which a WebDAV server wants before anything lies in them (RFC 4918 §9.7.1). */
export type Collections = {
  readonly ensure: (path: string) => Promise<void>;
  /** Whether the server is a WebDAV server (RFC 4918 §10.1). */
  readonly isDav: () => Promise<boolean>;
};

/** Sees to the collections on the way to a path below `base`, each once; does nothing where the server is no WebDAV server. */
export function collectionsBelow(web: Web, base: string): Collections {
  const made = new Set<string>();
  const isDav = once(async () => (await callText(web, { method: 'OPTIONS', url: base })).headers['dav'] !== undefined);
  const ensure = async (path: string) => {
    if (!(await isDav())) return;
    for (const collection of collectionsOf(path).filter((collection) => !made.has(collection))) {
      const answer = await callText(web, { method: 'MKCOL', url: `${base}${collection}` });
      // 405: there is one already (RFC 4918 §9.3.1); some servers say 301 or 409 of one that is there.
      if (!isDone(answer.status) && ![405, 301, 409].includes(answer.status))
        throw refused(web, `the collection ${collection}`, answer);
      made.add(collection);
    }
  };
  return { ensure, isDav };
}
