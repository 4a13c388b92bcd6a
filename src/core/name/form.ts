/** The forms of artifacts that can be built. */
export const builtForms = [
  'npm-tarball',
  'wheel',
  'sdist',
  'jar',
  'sources-jar',
  'documentation-jar',
  'war',
  'ear',
  'pom',
  'nupkg',
  'snupkg',
  'deb',
  'crate',
  'go-module',
  'tar.gz',
  'zip',
  'source-archive',
  'loose',
] as const;

/** One of the forms that can be built. */
export type BuiltForm = (typeof builtForms)[number];

/** Kinds of SBOMs; each is also the form of its document. */
export const sbomKinds = ['spdx', 'cyclonedx'] as const;

/** One of the kinds of SBOMs. */
export type SbomKind = (typeof sbomKinds)[number];

/** Kinds of SBOMs as people call them. */
export const sbomTitles: Readonly<Record<SbomKind, string>> = { spdx: 'SPDX 2.3', cyclonedx: 'CycloneDX 1.6' };

/** Forms that are read, never built: a plain tar archive, and a text that is not a POM. */
export const readForms = ['tar', 'text'] as const;

/** Every form. Each has a definition in `core/form`. */
export const forms = [...builtForms, ...sbomKinds, ...readForms] as const;

/** The form of an artifact. */
export type Form = (typeof forms)[number];
