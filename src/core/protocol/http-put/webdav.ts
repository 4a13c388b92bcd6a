import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { objectOf } from '../../manifest/fields.ts';
import { parseXml } from '../../manifest/xml.ts';
import { escapeHtml } from '../../text/html.ts';

// WebDAV (RFC 4918): collections are made before anything lies in them, and can be listed.

/** Paths that a multistatus answer names, decoded (RFC 4918 §14.16); null when the text is none. */
export function parseMultistatus(text: string): string[] | null {
  let value: unknown;
  try {
    value = parseXml(text, 'the answer', { removeNSPrefix: true, processEntities: true })['multistatus'];
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return null;
  }
  if (value === undefined) return null;
  const responses = objectOf(value)['response'];
  const list = Array.isArray(responses) ? responses : responses === undefined ? [] : [responses];
  return list.flatMap((item) => {
    const href = objectOf(item)['href'];
    if (typeof href !== 'string') return [];
    const path = URL.canParse(href) ? new URL(href).pathname : href;
    try {
      return [decodeURIComponent(path)];
    } catch {
      return [];
    }
  });
}

/** A multistatus answer about these paths; those that end with `/` are collections. */
export function formatMultistatus(paths: readonly string[]): string {
  const responses = paths.map((path) => {
    const type = path.endsWith('/') ? '<D:collection/>' : '';
    const href = escapeHtml(path.split('/').map(encodeURIComponent).join('/'));
    return `<D:response><D:href>${href}</D:href><D:propstat><D:prop><D:resourcetype>${type}</D:resourcetype></D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>`;
  });
  return `<?xml version="1.0" encoding="utf-8"?>\n<D:multistatus xmlns:D="DAV:">${responses.join('')}</D:multistatus>\n`;
}

/** The collections on the way to a path, outermost first: `a/b/c` has `a/` and `a/b/`. */
export function collectionsOf(path: string): string[] {
  const parts = path.split('/').slice(0, -1);
  return parts.map((_, index) => `${parts.slice(0, index + 1).join('/')}/`);
}
