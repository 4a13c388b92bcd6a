import type { Digest } from './sbom.ts';

const algorithms: Readonly<Record<string, Digest['algorithm']>> = {
  md5: 'MD5',
  sha1: 'SHA-1',
  sha256: 'SHA-256',
  sha384: 'SHA-384',
  sha512: 'SHA-512',
};

/** Hexadecimal digits of each algorithm's digests. */
export const digestLengths: Readonly<Record<Digest['algorithm'], number>> = {
  MD5: 32,
  'SHA-1': 40,
  'SHA-256': 64,
  'SHA-384': 96,
  'SHA-512': 128,
};

/** A digest in hexadecimal by the algorithm's short name; null for one that is not known or of a wrong length. */
export function hexDigest(algorithm: string, value: string): Digest | null {
  const name = algorithms[algorithm.toLowerCase().replace('-', '')];
  const hex = value.toLowerCase();
  return name !== undefined && /^[0-9a-f]+$/.test(hex) && hex.length === digestLengths[name]
    ? { algorithm: name, value: hex }
    : null;
}

/** Digests of an integrity text: `sha512-BASE64`, several apart by spaces (W3C, "Subresource Integrity", §3.3). */
export function integrityDigests(text: string | null): Digest[] {
  return (text ?? '').split(/\s+/).flatMap((part) => {
    const match = /^(sha\d+)-([A-Za-z0-9+/=]+)/.exec(part);
    const found =
      match === null ? null : hexDigest(match[1] ?? '', Buffer.from(match[2] ?? '', 'base64').toString('hex'));
    return found === null ? [] : [found];
  });
}

/** Digests of an integrity text, and the text itself when one of its parts is not a digest of an algorithm that is known. */
export function checkedIntegrity(text: string | null): {
  readonly digests: Digest[];
  readonly badDigest: string | null;
} {
  const digests = integrityDigests(text);
  const parts = (text ?? '').split(/\s+/).filter((part) => part !== '');
  return { digests, badDigest: digests.length < parts.length ? text : null };
}

/** One digest in hexadecimal, or the text that was written in its place. */
export function checkedDigest(
  algorithm: string,
  value: string | null,
): { readonly digests: Digest[]; readonly badDigest: string | null } {
  if (value === null) return { digests: [], badDigest: null };
  const digest = hexDigest(algorithm, value);
  return digest === null ? { digests: [], badDigest: value } : { digests: [digest], badDigest: null };
}
