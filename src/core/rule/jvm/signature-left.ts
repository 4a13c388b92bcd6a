import type { Rule } from '../rule.ts';

export const signatureLeft: Rule = {
  id: 'jvm/signature-left',
  forms: ['jar', 'sources-jar', 'documentation-jar'],
  severity: 'refuse',
  what: 'A jar has no signature files without the digests that belong to them',
  why: 'Left over from a jar that was merged into this one, they make a JVM refuse to load it',
  fix: 'Leave META-INF/*.SF, *.RSA, *.DSA and *.EC of merged jars out, or sign the whole jar',
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
