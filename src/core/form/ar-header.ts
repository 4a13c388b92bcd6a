import { BevelstoneError } from '../error/bevelstone-error.ts';

/** The mark at the beginning of an ar archive (deb(5), "FORMAT"). */
export const arMark = Buffer.from('!<arch>\n');

/**
 * The header of an ar member as deb(5) wants it: name, time, owner 0, mode 100644, decimal size, each padded with spaces.
 * @param mtime seconds since 1970.
 * @throws FORM_FIELD_TOO_LARGE when a value has too many digits.
 */
export function encodeArHeader(name: string, sizeBytes: number, mtime: number): Buffer {
  const fields = [
    field(name, 16, 'name'),
    field(String(mtime), 12, 'time'),
    field('0', 6, 'owner'),
    field('0', 6, 'group'),
    field('100644', 8, 'mode'),
    field(String(sizeBytes), 10, 'size'),
  ];
  return Buffer.from(`${fields.join('')}\`\n`);
}

/** Name and size of the member whose 60-byte header this is, or null when it is none. */
export function decodeArHeader(header: Buffer): { name: string; sizeBytes: number } | null {
  if (header.length < 60 || header.toString('latin1', 58, 60) !== '`\n') return null;
  const size = header.toString('latin1', 48, 58).trim();
  if (!/^\d+$/.test(size)) return null;
  return { name: header.toString('latin1', 0, 16).trim().replace(/\/$/, ''), sizeBytes: Number(size) };
}

function field(value: string, width: number, what: string): string {
  if (value.length <= width && !value.startsWith('-')) return value.padEnd(width);
  throw new BevelstoneError('FORM_FIELD_TOO_LARGE', {
    message: `the ${what} ${value} is too long for an ar header`,
    why: `the field holds ${width} characters`,
    fix: what === 'size' ? 'Make the package smaller; 9.9 GB is the most one may have' : 'Use an ordinary value',
  });
}
