import { BevelstoneError } from '../error/bevelstone-error.ts';
import { objectOf, textOf } from './fields.ts';
import type { ManifestDependency, ManifestFormat } from './package-manifest.ts';
import { parseXml } from './xml.ts';

/** `.nuspec` (its reference, ".nuspec reference"). */
export const nuspecFormat: ManifestFormat = {
  read: (text, file) => {
    const metadata = parseNuspec(text, file);
    const licence = objectOf(metadata['license']);
    return {
      name: textOf(metadata['id']),
      version: textOf(metadata['version']),
      description: textOf(metadata['description']),
      licence: licence['@type'] === 'expression' ? textOf(licence['#text']) : null,
      dependencies: dependenciesOf(metadata),
    };
  },
  stamp: (text, { version, ranges }, file) => {
    parseNuspec(text, file);
    const stamped = text.replace(
      /(<metadata[\s>][\s\S]*?<version>)[^<]*(<\/version>)/,
      (whole, a: string, b: string) => (version === null ? whole : a + version + b),
    );
    return ranges.reduce(
      (edited, { name, from, to }) =>
        edited.replace(/<dependency\b[^>]*>/g, (tag) =>
          tag.includes(`id="${name}"`) ? tag.replace(`version="${from}"`, `version="${to}"`) : tag,
        ),
      stamped,
    );
  },
};

/** The `<metadata>` of a nuspec; attributes stand under their names with `@` before. @throws MANIFEST_INVALID */
export function parseNuspec(text: string, file: string): Readonly<Record<string, unknown>> {
  const document = parseXml(text, file, {
    ignoreAttributes: false,
    attributeNamePrefix: '@',
    parseAttributeValue: false,
    // The five that XML has by itself, and numbers; a file cannot bring any of its own.
    processEntities: { enabled: true, maxTotalExpansions: 100_000 },
    isArray: (name) => name === 'group' || name === 'dependency',
  });
  const root = objectOf(document['package']);
  if (typeof root['metadata'] === 'object') return objectOf(root['metadata']);
  throw new BevelstoneError('MANIFEST_INVALID', {
    message: `${file} cannot be read`,
    why: 'it has no <package> with <metadata>',
    fix: 'Correct the file and commit it',
    where: { file },
  });
}

/** One dependency per name and range, whichever target frameworks ask for it. */
function dependenciesOf(metadata: Readonly<Record<string, unknown>>): ManifestDependency[] {
  const table = objectOf(metadata['dependencies']);
  const groups = [table, ...listOf(table['group'])];
  const all = groups.flatMap((group) => listOf(objectOf(group)['dependency']));
  const found = all.map((item) => ({
    name: textOf(objectOf(item)['@id']) ?? '',
    range: textOf(objectOf(item)['@version']) ?? '',
    kind: 'run' as const,
  }));
  return [...new Map(found.map((item) => [`${item.name} ${item.range}`, item])).values()];
}

function listOf(value: unknown): unknown[] {
  return Array.isArray(value) ? value : [];
}
