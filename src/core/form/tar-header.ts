import { BevelstoneError } from '../error/bevelstone-error.ts';

/** Size of a tar record in bytes (POSIX.1-2017, pax, "ustar Interchange Format"). */
export const blockBytes = 512;

/** One member of a tar archive. */
export type TarMember = {
  readonly path: string;
  readonly type: 'file' | 'symlink' | 'folder';
  readonly sizeBytes: number;
  readonly mode: number;
  /** Seconds since 1970. */
  readonly mtime: number;
  readonly linkname: string;
};

/** The first size that eleven octal digits cannot say: 8 GiB. */
export const mostOctal = 8 ** 11;

/**
 * The header of a member: a ustar header, before it a pax extended header when a name or the size does not fit. Owner is 0 without a
 * name, so that no machine is revealed (POSIX.1-2017, pax, "ustar Interchange Format" and "pax Header Block").
 * @throws FORM_FIELD_TOO_LARGE rather than cutting anything off.
 */
export function encodeTarHeader(member: TarMember): Buffer {
  const extended: [string, string][] = [];
  const split = splitPath(member.path);
  if (split === null) extended.push(['path', member.path]);
  if (!fits(member.linkname, 100)) extended.push(['linkpath', member.linkname]);
  const isLarge = member.sizeBytes >= mostOctal;
  if (isLarge) extended.push(['size', String(member.sizeBytes)]);
  const short = {
    ...member,
    sizeBytes: isLarge ? 0 : member.sizeBytes,
    linkname: fits(member.linkname, 100) ? member.linkname : '',
    name: split?.name ?? 'long-name',
    prefix: split?.prefix ?? '',
    typeflag: typeflags[member.type],
  };
  if (extended.length === 0) return ustar(short);
  const body = Buffer.concat(extended.map(([key, value]) => paxRecord(key, value)));
  const header = ustar({
    name: 'PaxHeader/long-name',
    prefix: '',
    mode: 0o644,
    sizeBytes: body.length,
    mtime: member.mtime,
    typeflag: 'x',
    linkname: '',
  });
  return Buffer.concat([header, body, padding(body.length), ustar(short)]);
}

const typeflags = { file: '0', symlink: '2', folder: '5' } as const;

/**
 * A global header that names the commit everything after it was built from, as its comment (POSIX.1-2017, pax, "pax Header
 * Block", typeflag g): git itself writes and reads it so.
 */
export function encodeTarComment(comment: string, mtime: number): Buffer {
  const body = paxRecord('comment', comment);
  const header = ustar({
    name: 'pax_global_header',
    prefix: '',
    mode: 0o644,
    sizeBytes: body.length,
    mtime,
    typeflag: 'g',
    linkname: '',
  });
  return Buffer.concat([header, body, padding(body.length)]);
}

/** Zeros that fill the last block of a member. */
export function padding(sizeBytes: number): Buffer {
  return Buffer.alloc((blockBytes - (sizeBytes % blockBytes)) % blockBytes);
}

/** Two blocks of zeros end an archive. */
export function endOfArchive(): Buffer {
  return Buffer.alloc(2 * blockBytes);
}

type UstarFields = {
  readonly name: string;
  readonly prefix: string;
  readonly mode: number;
  readonly sizeBytes: number;
  readonly mtime: number;
  readonly typeflag: string;
  readonly linkname: string;
};

function ustar({ name, prefix, mode, sizeBytes, mtime, typeflag, linkname }: UstarFields): Buffer {
  const block = Buffer.alloc(blockBytes);
  block.write(name, 0, 100);
  block.write(octal(mode, 8, 'mode'), 100);
  block.write(octal(0, 8, 'uid'), 108);
  block.write(octal(0, 8, 'gid'), 116);
  block.write(octal(sizeBytes, 12, 'size'), 124);
  block.write(octal(mtime, 12, 'mtime'), 136);
  block.write('        ', 148);
  block.write(typeflag, 156);
  block.write(linkname, 157, 100);
  block.write('ustar\u000000', 257);
  block.write(octal(0, 8, 'devmajor'), 329);
  block.write(octal(0, 8, 'devminor'), 337);
  block.write(prefix, 345, 155);
  const sum = block.reduce((total, byte) => total + byte, 0);
  block.write(`${sum.toString(8).padStart(6, '0')}\0 `, 148);
  return block;
}

/** Digits and a NUL that fill the field. */
function octal(value: number, width: number, field: string): string {
  const digits = value.toString(8);
  if (value >= 0 && Number.isSafeInteger(value) && digits.length < width) return `${digits.padStart(width - 1, '0')}\0`;
  throw new BevelstoneError('FORM_FIELD_TOO_LARGE', {
    message: `the ${field} ${value} is too long for a tar header`,
    why: `the field holds ${width - 1} octal digits`,
    fix: 'Use a commit with an ordinary date',
  });
}

/** The longest name of at most 100 bytes behind a prefix of at most 155, or null when no `/` divides it so. */
function splitPath(path: string): { name: string; prefix: string } | null {
  if (fits(path, 100)) return { name: path, prefix: '' };
  for (let at = path.indexOf('/'); at !== -1; at = path.indexOf('/', at + 1)) {
    const [prefix, name] = [path.slice(0, at), path.slice(at + 1)];
    if (prefix !== '' && name !== '' && fits(prefix, 155) && fits(name, 100)) return { name, prefix };
  }
  return null;
}

function fits(text: string, bytes: number): boolean {
  // Readers disagree on letters beyond ASCII in ustar names; pax says they are UTF-8.
  return /^[\u0000-\u007f]*$/.test(text) && text.length <= bytes;
}

/** `LENGTH KEY=VALUE\n`, where LENGTH counts itself. */
function paxRecord(key: string, value: string): Buffer {
  const rest = Buffer.from(` ${key}=${value}\n`);
  let length = rest.length;
  while (String(length).length + rest.length !== length) length = String(length).length + rest.length;
  return Buffer.concat([Buffer.from(String(length)), rest]);
}
