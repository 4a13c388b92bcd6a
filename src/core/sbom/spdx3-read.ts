import { objectOf, objectsOf, shownText, textOf } from '../manifest/fields.ts';
import { hexDigest } from './digest.ts';
import {
  type DependencyKind,
  type Digest,
  type PackageRole,
  type Sbom,
  type SbomFile,
  type SbomPackage,
  type SbomRelation,
  sbomPackage,
} from './sbom.ts';

type Json = Readonly<Record<string, unknown>>;

/** SPDX 3.0.1, Core, LifecycleScopeType: why something is needed in a part of its life only. */
const scopes: Readonly<Record<string, DependencyKind>> = {
  build: 'build',
  development: 'development',
  test: 'development',
};

/** SPDX 3.0.1, Core, RelationshipType; `from` needs or holds `to`. */
const types: Readonly<Record<string, SbomRelation['type']>> = {
  contains: 'contains',
  dependsOn: 'run',
  hasOptionalDependency: 'optional',
  hasProvidedDependency: 'peer',
  hasStaticLink: 'run',
  hasDynamicLink: 'run',
};

/** An SBOM from an SPDX 3.0.1 document in JSON-LD with its own context (SPDX 3.0.1, annex "RDF serialization"), from any author. */
export function readSpdx3(document: Json): Sbom {
  const elements = new Map<string, Json>();
  for (const element of objectsOf(document['@graph']))
    elements.set(textOf(element['spdxId']) ?? textOf(element['@id']) ?? '', element);
  const of = (type: string) => [...elements].filter(([, element]) => element['type'] === type);
  const relations = [...of('Relationship'), ...of('LifecycleScopedRelationship')].map(([, element]) => element);
  const creation = objectOf(of('CreationInfo')[0]?.[1]);
  const [documentElement] = of('SpdxDocument');
  const nameOf = (id: unknown) => textOf(elements.get(shownText(id))?.['name']);
  const roots = [...of('software_Sbom'), ...of('SpdxDocument')].flatMap(([, element]) => idsIn(element['rootElement']));
  const subjects = [...new Set(roots)].filter((id) => elements.get(id)?.['type'] === 'software_Package');
  const licences = licencesBy(relations, elements);
  const files = new Map(of('software_File').map(([id, element]) => [id, toFile(element, licences.get(id) ?? null)]));
  const owned = new Map<string, SbomFile[]>();
  const found: SbomRelation[] = [];
  for (const relation of relations) {
    const from = shownText(relation['from']);
    const type = types[shownText(relation['relationshipType'])];
    for (const to of idsIn(relation['to'])) {
      const file = files.get(to);
      if (type === 'contains' && file !== undefined) owned.set(from, [...(owned.get(from) ?? []), file]);
      else if (type !== undefined && elements.has(from) && elements.has(to))
        found.push({ from, to, type: scopes[shownText(relation['scope'])] ?? type });
      else if (relation['relationshipType'] === 'generates') found.push({ from: to, to: from, type: 'generated-from' });
    }
  }
  const packages = of('software_Package').map(([id, element]) =>
    toPackage({ id, element, subjects, files: owned.get(id) ?? null, licence: licences.get(id) ?? null, nameOf }),
  );
  const ids = new Set(packages.map(({ id }) => id));
  return {
    name: textOf(documentElement?.[1]['name']) ?? packages.find(({ id }) => subjects.includes(id))?.name ?? '',
    created: textOf(creation['created']) ?? '1970-01-01T00:00:00Z',
    tool:
      idsIn(creation['createdUsing'])
        .map(nameOf)
        .find((name) => name !== null) ?? '',
    namespace: null,
    organisation:
      idsIn(creation['createdBy'])
        .filter((id) => elements.get(id)?.['type'] === 'Organization')
        .map(nameOf)[0] ?? null,
    subjects,
    packages,
    relations: found.filter(({ from, to }) => ids.has(from) && ids.has(to)),
    unknown: relations.some(({ completeness }) => completeness === 'incomplete')
      ? ['the SBOM says of some of its relationships that they are incomplete']
      : [],
  };
}

/** Whether a document is SPDX 3 in JSON-LD, and of which version. */
export function spdx3Version(document: Json): string | null {
  if (!Array.isArray(document['@graph'])) return null;
  const context = [document['@context'] ?? []].flat().map(shownText).join(' ');
  return /\/rdf\/(3\.\d+(?:\.\d+)?)\/spdx-context\.jsonld/.exec(context)?.[1] ?? null;
}

function idsIn(value: unknown): string[] {
  return [value ?? []].flat().map(shownText);
}

/** Declared licences by element, concluded ones where none is declared. */
function licencesBy(relations: readonly Json[], elements: ReadonlyMap<string, Json>): Map<string, string> {
  const found = new Map<string, string>();
  for (const type of ['hasConcludedLicense', 'hasDeclaredLicense'])
    for (const relation of relations.filter((each) => each['relationshipType'] === type)) {
      const names = idsIn(relation['to']).flatMap((id) => licenceText(id, elements) ?? []);
      if (names.length > 0) found.set(shownText(relation['from']), names.join(' AND '));
    }
  return found;
}

function licenceText(id: string, elements: ReadonlyMap<string, Json>): string | null {
  const element = elements.get(id);
  const expression = textOf(element?.['simplelicensing_licenseExpression']);
  if (expression !== null) return expression === 'NOASSERTION' || expression === 'NONE' ? null : expression;
  const listed = /\/licenses\/([A-Za-z0-9.+-]+)$/.exec(id)?.[1];
  return listed ?? textOf(element?.['name']) ?? textOf(element?.['simplelicensing_licenseText']);
}

function digestsOf(element: Json): Digest[] {
  return objectsOf(element['verifiedUsing']).flatMap(
    ({ algorithm, hashValue }) => hexDigest(shownText(algorithm), shownText(hashValue)) ?? [],
  );
}

function toFile(element: Json, licence: string | null): SbomFile {
  const digests = digestsOf(element);
  const value = (algorithm: Digest['algorithm']) =>
    digests.find((digest) => digest.algorithm === algorithm)?.value ?? '';
  return {
    path: shownText(element['name'] ?? '').replace(/^\.\//, ''),
    sha1: value('SHA-1'),
    sha256: value('SHA-256'),
    licences: licence === null ? [] : [licence],
    copyright: textOf(element['software_copyrightText']),
  };
}

function toPackage({
  id,
  element,
  subjects,
  files,
  licence,
  nameOf,
}: {
  readonly id: string;
  readonly element: Json;
  readonly subjects: readonly string[];
  readonly files: readonly SbomFile[] | null;
  readonly licence: string | null;
  readonly nameOf: (id: unknown) => string | null;
}): SbomPackage {
  const purpose = shownText(element['software_primaryPurpose']);
  const roles: Readonly<Record<string, PackageRole>> = { archive: 'artifact', source: 'source' };
  const identifier = objectsOf(element['externalIdentifier']).find(
    (each) => each['externalIdentifierType'] === 'packageUrl',
  );
  return sbomPackage({
    id,
    role: subjects.includes(id) ? 'subject' : (roles[purpose] ?? 'dependency'),
    name: textOf(element['name']) ?? '',
    version: textOf(element['software_packageVersion']),
    purl: textOf(element['software_packageUrl']) ?? textOf(identifier?.['identifier']),
    licence,
    supplier: nameOf(element['suppliedBy']),
    copyright: textOf(element['software_copyrightText']),
    description: textOf(element['description']),
    digests: digestsOf(element),
    location: textOf(element['software_downloadLocation']),
    files,
    comment: textOf(element['comment']),
  });
}
