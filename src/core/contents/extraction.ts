import type { ReadEntry } from './entry.ts';
import { unsafeReason } from './safe-path.ts';

/** What an archive's entries ask for. */
export type ExtractEntry = Pick<ReadEntry, 'path' | 'type' | 'linkname'>;

/** An entry that is not extracted, and why. */
export type ExtractRefusal = { readonly path: string; readonly why: string };

/** The longest name that file systems take (POSIX, NAME_MAX), and the longest path that we make. */
const maxNameBytes = 255;
const maxPathBytes = 3500;
/** As many links as a path may lead through (Linux, ELOOP). */
const maxLinks = 40;

/**
 * Looks at all entries before anything is written: two at one place, names that no file system takes, and links that leave
 * the folder. A link is followed through all the others, since two harmless ones can lead out together.
 * @returns the first refusal, null when everything can be extracted.
 */
export function refuseExtraction(entries: readonly ExtractEntry[]): ExtractRefusal | null {
  const kinds = new Map<string, { readonly kind: 'folder' | 'file' | 'link'; readonly isNamed: boolean }>();
  const links = new Map<string, string>();
  for (const { path, type, linkname } of entries) {
    const plain = path.replace(/\/$/, '');
    const why =
      unsafeReason(plain) ?? refuseName(plain) ?? refuseType(type) ?? refuseSlash(path, type) ?? refuseTarget(linkname);
    if (why !== null) return { path, why };
    const parts = plain.split('/');
    for (let depth = 1; depth < parts.length; depth++) {
      const above = parts.slice(0, depth).join('/');
      const known = kinds.get(keyOf(above))?.kind ?? 'folder';
      if (known !== 'folder') return { path, why: `${above} is a ${known}, and this would lie inside it` };
      if (!kinds.has(keyOf(above))) kinds.set(keyOf(above), { kind: 'folder', isNamed: false });
    }
    const known = kinds.get(keyOf(plain));
    const kind = type === 'folder' ? 'folder' : type === 'symlink' ? 'link' : 'file';
    if (known !== undefined && (known.kind !== kind || kind !== 'folder'))
      return { path, why: `another entry has the same path${known.kind === kind ? '' : ` and is a ${known.kind}`}` };
    kinds.set(keyOf(plain), { kind, isNamed: true });
    if (kind === 'link') links.set(keyOf(plain), linkname ?? '');
  }
  for (const { path, type, linkname } of entries) {
    const why = type === 'symlink' ? refuseLink(path, linkname ?? '', links) : null;
    if (why !== null) return { path, why };
  }
  return null;
}

/** Capitals and composed letters are the same on some file systems. */
function keyOf(path: string): string {
  return path.normalize('NFC').toLowerCase();
}

function refuseName(path: string): string | null {
  if (path.split('/').some((part) => Buffer.byteLength(part) > maxNameBytes))
    return `a part of its name has more than ${maxNameBytes} bytes`;
  return Buffer.byteLength(path) > maxPathBytes ? `its path has more than ${maxPathBytes} bytes` : null;
}

function refuseSlash(path: string, type: ExtractEntry['type']): string | null {
  return path.endsWith('/') && type !== 'folder' ? 'its path is that of a folder' : null;
}

/** The longest target that systems take (POSIX, PATH_MAX). */
function refuseTarget(linkname: string | null): string | null {
  return linkname !== null && Buffer.byteLength(linkname) > maxPathBytes
    ? `it links to a target of more than ${maxPathBytes} bytes`
    : null;
}

function refuseType(type: ExtractEntry['type']): string | null {
  if (type === 'special') return 'it is a device, a pipe or another special file';
  return type === 'hardlink' ? 'it is a hard link, which shares its bytes with another entry' : null;
}

/** Walks where a link leads, one part at a time, as the system would. */
function refuseLink(path: string, target: string, links: ReadonlyMap<string, string>): string | null {
  if (
    target === '' ||
    target.startsWith('/') ||
    /^[A-Za-z]:/.test(target) ||
    target.includes('\\') ||
    target.includes('\0')
  )
    return `it links to ${target || 'nothing'}, outside the folder`;
  const waiting = target.split('/').reverse();
  let at = path.split('/').slice(0, -1);
  let followed = 1;
  while (waiting.length > 0) {
    const part = waiting.pop() ?? '';
    if (part === '' || part === '.') continue;
    if (part === '..') {
      if (at.length === 0) return `it links to ${target}, which leads outside the folder`;
      at = at.slice(0, -1);
      continue;
    }
    const next = [...at, part];
    const through = links.get(keyOf(next.join('/')));
    if (through === undefined) {
      at = next;
      continue;
    }
    followed++;
    if (followed > maxLinks) return `it links to ${target}, which leads through too many links`;
    waiting.push(...through.split('/').reverse());
  }
  return null;
}
