import { pythonRangeTakes, pythonVersions } from '../../ecosystem/python/ranges.ts';
import { shownText, textOf } from '../../manifest/fields.ts';
import type { FormDefinition, MetadataDefinition, PageDefinition, PageFormat } from '../definition.ts';
import { pickLink } from '../traits.ts';

const page: PageDefinition = {
  readme: ({ readme, manifest }) =>
    readme === null || readme.path !== manifest?.path
      ? { readme: null, problem: 'the metadata holds no description' }
      : {
          readme: { ...readme, format: formatOf(textOf(manifest.json['Description-Content-Type'])) },
          problem: null,
        },
  links: (json) => [json['Project-URL'] ?? []].flat().map(shownText),
  hasRepositoryPictures: () => false,
};

/** "Description-Content-Type" of the core metadata specifications: reStructuredText when it is missing. */
function formatOf(contentType: string | null): PageFormat {
  const type = contentType?.split(';')[0]?.trim().toLowerCase() ?? '';
  return type === 'text/markdown' ? 'markdown' : type === 'text/plain' ? 'plain' : 'rst';
}

const metadata: MetadataDefinition = {
  links: (json) => [
    ...pickLink('Home-page', json['Home-page']),
    ...[json['Project-URL'] ?? []]
      .flat()
      .flatMap((link) => pickLink('Project-URL', shownText(link).split(',').slice(1).join(','))),
  ],
  namesRepository: (json) => json['Project-URL'] !== undefined || textOf(json['Home-page']) !== null,
  keywords: ({ Keywords }) =>
    shownText(Keywords ?? '')
      .split(',')
      .filter(Boolean),
  runtime: (json) => {
    const range = textOf(json['Requires-Python']);
    const isPossible = range === null || pythonVersions.some((version) => pythonRangeTakes(range, version));
    return { title: 'Python', field: 'Requires-Python', range, isPossible };
  },
  impossibleRanges: () => [],
  // The field `License` of older metadata is free text (PEP 639 replaces it by License-Expression).
  isFreeLicence: (json) => json['License-Expression'] === undefined,
  hasOldLicence: () => false,
};

/** What wheels and source distributions have in common: core metadata, and versions as PEP 440 writes them. */
export const pythonTraits = {
  namedVersion: (version, spellings) => spellings.python ?? version,
  ecosystem: 'python',
  page,
  metadata,
  needsDescription: true,
  isShownOnUpload: true,
  surface: async () => (await import('../../surface/python/reader.ts')).pythonSurfaceReader,
} as const satisfies Partial<FormDefinition>;
