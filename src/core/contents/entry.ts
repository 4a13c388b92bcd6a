import { createHash } from 'node:crypto';

/** Where an entry came from. */
export type Origin =
  | { readonly type: 'source'; readonly path: string; readonly commit: string; readonly stamped: boolean }
  | { readonly type: 'step'; readonly path: string; readonly step: string }
  | { readonly type: 'input'; readonly path: string; readonly input: string }
  | { readonly type: 'generated' };

/** One thing inside an artifact, as a reader finds it. */
export type Entry = {
  readonly path: string;
  readonly type: 'file' | 'folder' | 'symlink' | 'hardlink' | 'special';
  readonly sizeBytes: number;
  /** Permission bits only. */
  readonly mode: number;
  /** Target of a link, else null. */
  readonly linkname: string | null;
  /** SHA-256 of the bytes in hexadecimal; of a link's target text for links; null for folders and special files. */
  readonly sha256: string | null;
};

/** An entry with what only some archives say of it. */
export type ReadEntry = Entry & {
  /** Seconds since 1970; null where the archive gives none. */
  readonly mtime: number | null;
  /** `0:0`, or with names `0:0 root:root`; null where the archive has no owners. */
  readonly owner: string | null;
};

/** An entry that is packed, with its origin. */
export type PackedEntry = Entry & { readonly origin: Origin };

/** Permission bits as people and `CONTENTS.json` write them: `0644`. */
export function formatMode(mode: number): string {
  return (mode & 0o7777).toString(8).padStart(4, '0');
}

/**
 * The digest that is the same on every machine, whatever its compressor does: SHA-256 over the sorted lines
 * `path mode type sha256` of the entries and the canonical metadata (docs/design/decisions.md, "Reproducible bytes").
 * @param metadata JSON of the form's own metadata with sorted keys, '' when it has none beside its entries.
 */
export function contentDigest(entries: readonly Entry[], metadata: string): string {
  const hash = createHash('sha256');
  let lines = '';
  for (const entry of [...entries].sort(compareLines)) {
    lines += lineOf(entry);
    if (lines.length < piece) continue;
    hash.update(lines);
    lines = '';
  }
  return hash.update(lines).update(metadata).digest('hex');
}

const piece = 1 << 14;

function lineOf({ path, mode, type, sha256 }: Entry): string {
  return `${path} ${formatMode(mode)} ${type} ${sha256 ?? '-'}\n`;
}

/** The order of the lines, which are made only where the paths do not decide on it. */
function compareLines(a: Entry, b: Entry): number {
  const order = compareBytes(a.path, b.path);
  const isPart = a.path.startsWith(b.path) || b.path.startsWith(a.path);
  return isPart ? compareBytes(lineOf(a), lineOf(b)) : order;
}

/** Order of texts by their UTF-8 bytes, the same on every machine and in every locale. */
export function compareBytes(a: string, b: string): number {
  const length = Math.min(a.length, b.length);
  for (let at = 0; at < length; at++) {
    const [one, other] = [a.charCodeAt(at), b.charCodeAt(at)];
    if (one !== other) return inBytes(one) < inBytes(other) ? -1 : 1;
  }
  return Math.sign(a.length - b.length);
}

/** UTF-8 orders letters of two units, which are surrogates here, behind all others. */
function inBytes(unit: number): number {
  if (unit < 0xd800) return unit;
  return unit < 0xe000 ? unit + 0x2000 : unit - 0x800;
}

/** The one folder that everything is in, with `/` behind; '' when there is none. */
export function commonFolder(entries: readonly { readonly path: string }[]): string {
  const [first] = entries;
  const folder =
    first === undefined || !first.path.includes('/') ? '' : first.path.slice(0, first.path.indexOf('/') + 1);
  return folder !== '' && folder !== '../' && entries.every(({ path }) => path.startsWith(folder)) ? folder : '';
}
