import { objectOf, objectsOf, shownText, textOf } from '../manifest/fields.ts';
import { hexDigest } from './digest.ts';
import {
  type DependencyKind,
  type Digest,
  type Sbom,
  type SbomFile,
  type SbomPackage,
  type SbomPatch,
  type SbomRelation,
  sbomPackage,
} from './sbom.ts';

type Json = Readonly<Record<string, unknown>>;

const reversed: Readonly<Record<string, DependencyKind>> = {
  DEPENDENCY_OF: 'run',
  RUNTIME_DEPENDENCY_OF: 'run',
  OPTIONAL_DEPENDENCY_OF: 'optional',
  PROVIDED_DEPENDENCY_OF: 'peer',
  BUILD_DEPENDENCY_OF: 'build',
  BUILD_TOOL_OF: 'build',
  DEV_DEPENDENCY_OF: 'development',
  TEST_DEPENDENCY_OF: 'development',
};

/** An SBOM from an SPDX 2.x document in JSON, from any author; unknown fields are ignored. */
export function readSpdx(document: Json): Sbom {
  const ids = new Map<string, string>();
  const packages = objectsOf(document['packages']);
  for (const pkg of packages)
    ids.set(shownText(pkg['SPDXID']), shownText(pkg['SPDXID']).replace(/^SPDXRef-(?:Package-)?/, ''));
  const texts = new Map(
    objectsOf(document['hasExtractedLicensingInfos']).map((item) => [
      shownText(item['licenseId']),
      textOf(item['extractedText']) ?? textOf(item['name']),
    ]),
  );
  const licenceOf = (value: unknown) => {
    const text = textOf(value);
    if (text === null || text === 'NOASSERTION' || text === 'NONE') return null;
    return texts.get(text) ?? text;
  };
  const files = new Map(
    objectsOf(document['files']).map((item) => [shownText(item['SPDXID']), toFile(item, licenceOf)]),
  );
  const owned = new Map<string, SbomFile[]>();
  const patched = new Map<string, SbomPatch[]>();
  const relations: SbomRelation[] = [];
  const subjects = [document['documentDescribes'] ?? []].flat().map((item) => ids.get(shownText(item)) ?? '');
  for (const { spdxElementId, relationshipType, relatedSpdxElement } of objectsOf(document['relationships'])) {
    const [a, b, type] = [shownText(spdxElementId), shownText(relatedSpdxElement), shownText(relationshipType)];
    const [from, to] = [ids.get(a), ids.get(b)];
    if (type === 'DESCRIBES' && to !== undefined) subjects.push(to);
    else if (type === 'DESCRIBED_BY' && from !== undefined) subjects.push(from);
    else if (type === 'CONTAINS' && from !== undefined && files.has(b)) pushFile(owned, from, files.get(b));
    else if (type === 'PATCH_FOR' && to !== undefined && files.has(a)) pushPatch(patched, to, files.get(a));
    else if (from === undefined || to === undefined) continue;
    else if (type === 'CONTAINS') relations.push({ from, to, type: 'contains' });
    else if (type === 'GENERATED_FROM') relations.push({ from, to, type: 'generated-from' });
    else if (type === 'DEPENDS_ON') relations.push({ from, to, type: 'run' });
    else if (reversed[type] !== undefined) relations.push({ from: to, to: from, type: reversed[type] });
  }
  for (const pkg of packages)
    for (const file of [pkg['hasFiles'] ?? []].flat())
      pushFile(owned, ids.get(shownText(pkg['SPDXID'])) ?? '', files.get(shownText(file)));
  const creation = objectOf(document['creationInfo']);
  const creators = [creation['creators'] ?? []].flat().map(shownText);
  const creator = (kind: string) =>
    creators.find((creator) => creator.startsWith(`${kind}: `))?.slice(kind.length + 2) ?? null;
  const unique = [...new Set(subjects)].filter((id) => id !== '');
  return {
    name: textOf(document['name']) ?? '',
    created: textOf(creation['created']) ?? '1970-01-01T00:00:00Z',
    tool: creator('Tool') ?? '',
    namespace: null,
    organisation: creator('Organization'),
    subjects: unique,
    packages: packages.map((pkg) => {
      const id = ids.get(shownText(pkg['SPDXID'])) ?? '';
      return { ...toPackage({ entry: pkg, id, subjects: unique, owned, licenceOf }), patches: patched.get(id) ?? [] };
    }),
    relations,
    unknown: (textOf(creation['comment'])?.match(/^What could not be determined: (.*)$/s)?.[1] ?? '')
      .split('; ')
      .filter(Boolean),
  };
}

function pushFile(owned: Map<string, SbomFile[]>, owner: string, file: SbomFile | undefined): void {
  if (file === undefined) return;
  const known = owned.get(owner);
  if (known === undefined) owned.set(owner, [file]);
  else known.push(file);
}

function pushPatch(patched: Map<string, SbomPatch[]>, owner: string, file: SbomFile | undefined): void {
  if (file === undefined) return;
  const { path, sha1, sha256 } = file;
  patched.set(owner, [...(patched.get(owner) ?? []), { file: path, sha1, sha256, base64: null }]);
}

function toPackage({
  entry,
  id,
  subjects,
  owned,
  licenceOf,
}: {
  readonly entry: Json;
  readonly id: string;
  readonly subjects: readonly string[];
  readonly owned: ReadonlyMap<string, readonly SbomFile[]>;
  readonly licenceOf: (value: unknown) => string | null;
}): SbomPackage {
  const purpose = entry['primaryPackagePurpose'];
  const purl = objectsOf(entry['externalRefs']).find(({ referenceType }) => referenceType === 'purl')?.[
    'referenceLocator'
  ];
  const known = (value: unknown) => (value === 'NOASSERTION' || value === 'NONE' ? null : textOf(value));
  return sbomPackage({
    id,
    role: subjects.includes(id)
      ? 'subject'
      : purpose === 'ARCHIVE'
        ? 'artifact'
        : purpose === 'SOURCE'
          ? 'source'
          : 'dependency',
    name: textOf(entry['name']) ?? '',
    version: textOf(entry['versionInfo']),
    purl: textOf(purl),
    licence: licenceOf(entry['licenseDeclared']) ?? licenceOf(entry['licenseConcluded']),
    supplier: known(entry['supplier'])?.replace(/^(?:Organization|Person): /, '') ?? null,
    copyright: known(entry['copyrightText']),
    description: textOf(entry['description']),
    digests: digestsOf(entry),
    fileName: textOf(entry['packageFileName']),
    location: known(entry['downloadLocation']),
    files: entry['filesAnalyzed'] === false ? null : (owned.get(id) ?? null),
    ...commentOf(textOf(entry['comment'])),
  });
}

/** A comment of our own ends with the files that name the package. */
function commentOf(text: string | null): Pick<SbomPackage, 'comment' | 'foundIn'> {
  const parts = (text ?? '').split('; ').filter(Boolean);
  const found = /^found in (.*)$/.exec(parts.at(-1) ?? '')?.[1];
  const rest = found === undefined ? parts : parts.slice(0, -1);
  return { comment: rest.length === 0 ? null : rest.join('; '), foundIn: found?.split(', ') ?? [] };
}

function digestsOf(item: Json): Digest[] {
  return objectsOf(item['checksums']).flatMap(
    ({ algorithm, checksumValue }) => hexDigest(shownText(algorithm), shownText(checksumValue)) ?? [],
  );
}

function toFile(item: Json, licenceOf: (value: unknown) => string | null): SbomFile {
  const digests = digestsOf(item);
  const value = (algorithm: Digest['algorithm']) =>
    digests.find((digest) => digest.algorithm === algorithm)?.value ?? '';
  const copyright = textOf(item['copyrightText']);
  return {
    path: shownText(item['fileName'] ?? '').replace(/^\.\//, ''),
    sha1: value('SHA-1'),
    sha256: value('SHA-256'),
    licences: [item['licenseInfoInFiles'] ?? []].flat().flatMap((each) => licenceOf(each) ?? []),
    copyright: copyright === 'NOASSERTION' || copyright === 'NONE' ? null : copyright,
  };
}
