import type { Rule } from '../rule.ts';

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
    if (signatures.length === 0 || (isSigned && hasBoth)) return [];
    return signatures.map(({ path }) => ({
      path,
      message: isSigned ? 'it is half of a signature' : 'MANIFEST.MF has no digests for it',
    }));
  },
};
