import type { Artifact } from '../../form/artifact.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const signatureLeft: Rule = {
  id: 'jvm/signature-left',
  forms: ['jar', 'sources-jar', 'documentation-jar'],
  severity: 'refuse',
  what: 'A jar has no signature files without matching digests',
  why: 'Signature files left from a merged jar make the JVM refuse to load this one',
  fix: 'Leave out META-INF/*.SF, *.RSA, *.DSA and *.EC of merged jars, or sign the whole jar',
  example: 'META-INF/HARBOUR.SF and no digests in MANIFEST.MF',
  check: ({ entries, texts }) => {
    const signatures = entries.filter(({ path }) => /^META-INF\/[^/]+\.(?:SF|RSA|DSA|EC)$/i.test(path));
    // JAR File Specification, "Signed JAR file": a digest for each file in a section of its own.
    const isSigned = /^[\w-]*-Digest: /m.test(texts.get('META-INF/MANIFEST.MF') ?? '');
    const hasBoth =
      signatures.some(({ path }) => /\.SF$/i.test(path)) && signatures.some(({ path }) => !/\.SF$/i.test(path));
    if (signatures.length === 0) return [];
    if (isSigned && hasBoth) return changedSince(entries, texts.get('META-INF/MANIFEST.MF') ?? '');
    return signatures.map(({ path }) => ({
      path,
      message: isSigned ? 'it is half of a signature' : 'MANIFEST.MF has no digests for it',
    }));
  },
};

/** Files that are not as they were when the jar was signed, as far as their digests are SHA-256. */
function changedSince(entries: Artifact['entries'], manifest: string): RawFinding[] {
  const digests = new Map(entries.map(({ path, sha256 }) => [path, sha256]));
  const sections = manifest
    .replace(/\r\n?/g, '\n')
    .replace(/\n /g, '')
    .split(/\n{2,}/)
    .slice(1);
  const signed = sections.flatMap((section) => {
    const [name, digest] = [/^Name: (.+)$/m, /^SHA-256-Digest: (\S+)$/m].map((pattern) => pattern.exec(section)?.[1]);
    return name === undefined ? [] : [{ name, digest }];
  });
  const changed = signed.flatMap(({ name, digest }): RawFinding[] => {
    const now = digests.get(name);
    if (now === undefined)
      return name.endsWith('/') ? [] : [{ path: name, message: 'it was signed, and is not inside' }];
    if (digest === undefined || now === null || Buffer.from(digest, 'base64').toString('hex') === now) return [];
    return [{ path: name, message: 'it was changed after the jar was signed' }];
  });
  const known = new Set(signed.map(({ name }) => name));
  const added = entries
    .filter(({ path, type }) => type === 'file' && !known.has(path) && !/^META-INF\/[^/]+$/.test(path))
    .map(({ path }): RawFinding => ({ path, message: 'it was added after the jar was signed', severity: 'note' }));
  return [...changed, ...added];
}
