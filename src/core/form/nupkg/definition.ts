import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import type { FormDefinition, MetadataDefinition, PageDefinition } from '../definition.ts';
import { pickLink, plainEntries, plainMetadata, plainTraits } from '../traits.ts';

const page: PageDefinition = {
  readme: ({ manifest, texts }) => {
    const named = textOf(manifest?.json['readme'] ?? null)?.replaceAll('\\', '/') ?? null;
    if (named === null) return { readme: null, problem: 'the nuspec names no <readme>, so the page shows none' };
    const text = texts.get(named);
    return text === undefined
      ? { readme: null, problem: `the nuspec names ${named} as readme, which is not inside` }
      : { readme: { path: named, text, format: 'markdown' }, problem: null };
  },
  links: ({ projectUrl, repository }) =>
    [textOf(projectUrl), textOf(objectOf(repository)['@url'])].filter((link) => link !== null),
  hasRepositoryPictures: () => false,
};

/** The nuspec (".nuspec reference"). */
const metadata: MetadataDefinition = {
  ...plainMetadata,
  links: ({ projectUrl }) => pickLink('projectUrl', projectUrl),
  namesRepository: ({ repository, projectUrl }) =>
    textOf(objectOf(repository)['@url']) !== null || textOf(projectUrl) !== null,
  keywords: ({ tags }) =>
    shownText(tags ?? '')
      .split(/\s+/)
      .filter(Boolean),
  // A file or an address instead of an expression.
  hasOldLicence: ({ license, licenseUrl }) => objectOf(license)['@type'] === 'file' || licenseUrl !== undefined,
};

const common = {
  ...plainTraits,
  container: 'zip',
  platforms: 'one-with-all',
  namedVersion: (version, spellings) => spellings.nuget ?? version,
  ecosystem: 'dotnet',
} as const satisfies Partial<FormDefinition>;

const parts = [
  { name: '[Content_Types].xml', path: /^\[Content_Types\]\.xml$/ },
  { name: '*.nuspec at its top', path: /^[^/]+\.nuspec$/i },
];

/** A package for .NET. */
export const nupkg: FormDefinition = {
  ...common,
  role: 'package',
  title: 'package for .NET',
  naming: { ending: /\.nupkg$/i, parts },
  layout: async () => (await import('./nupkg.ts')).nupkg,
  entries: { ...plainEntries, links: 'dropped', modes: 'none' },
  page,
  metadata,
  needsDescription: true,
  isUnpacked: true,
  surface: async () => (await import('../../surface/dotnet/reader.ts')).dotnetSurfaceReader,
  reasonLeftOut: () => 'a nupkg does not take it',
};

/** The debugging symbols that belong to a package for .NET. */
export const snupkg: FormDefinition = {
  ...common,
  role: 'symbols',
  title: 'the debugging symbols that belong to a nupkg',
  naming: { ending: /\.snupkg$/i, parts },
  layout: async () => (await import('./nupkg.ts')).snupkg,
  entries: { ...plainEntries, links: 'dropped' },
  reasonLeftOut: () => 'a snupkg does not take it',
};
