import { spdxLicence } from './licence-reference.ts';
import type { DependencyKind, Sbom, SbomFile, SbomPackage, SbomPatch, SbomRelation } from './sbom.ts';
import { stableUuid } from './stable-uuid.ts';
import { verificationCode } from './verification-code.ts';

/** SPDX 2.3 §11.1, table 68: the names for kinds of dependency; most of them point from what is needed to who needs it. */
const dependencyTypes: Readonly<Record<DependencyKind, { readonly type: string; readonly isReversed: boolean }>> = {
  run: { type: 'DEPENDS_ON', isReversed: false },
  optional: { type: 'OPTIONAL_DEPENDENCY_OF', isReversed: true },
  peer: { type: 'PROVIDED_DEPENDENCY_OF', isReversed: true },
  build: { type: 'BUILD_DEPENDENCY_OF', isReversed: true },
  development: { type: 'DEV_DEPENDENCY_OF', isReversed: true },
};

/** An SBOM as an SPDX 2.3 document in JSON (SPDX 2.3, clauses 6 to 11; field names of its JSON schema). */
export function formatSpdx(sbom: Sbom): string {
  const extracted = new Map<string, object>();
  const licence = (text: string | null) => {
    const { expression, extracted: own } = spdxLicence(text);
    if (own !== null) extracted.set(own.licenseId, own);
    return expression;
  };
  const packages = sbom.packages.map((pkg) => toPackage(pkg, licence));
  const files = sbom.packages.flatMap((pkg) =>
    (pkg.files ?? []).map((file, index) => toFile(file, fileId(pkg.id, index), licence)),
  );
  const patches = sbom.packages.flatMap((pkg) =>
    pkg.patches.map((patch, index) => toPatch(patch, patchId(pkg.id, index))),
  );
  const relationships = [
    ...sbom.subjects.map((id) => relation('SPDXRef-DOCUMENT', 'DESCRIBES', packageId(id))),
    ...sbom.relations.map(toRelationship),
    ...sbom.packages.flatMap((pkg) =>
      (pkg.files ?? []).map((_, index) => relation(packageId(pkg.id), 'CONTAINS', fileId(pkg.id, index))),
    ),
    // §11.1, table 68.
    ...sbom.packages.flatMap((pkg) =>
      pkg.patches.map((_, index) => relation(patchId(pkg.id, index), 'PATCH_FOR', packageId(pkg.id))),
    ),
  ];
  const body = {
    creationInfo: {
      created: sbom.created,
      creators: [`Tool: ${sbom.tool}`, ...(sbom.organisation === null ? [] : [`Organization: ${sbom.organisation}`])],
      ...(sbom.unknown.length === 0
        ? {}
        : {
            comment: `What could not be determined: ${sbom.unknown.map((text) => text.replaceAll('; ', ', ')).join('; ')}`,
          }),
    },
    packages,
    ...(files.length + patches.length === 0 ? {} : { files: [...files, ...patches] }),
    ...(extracted.size === 0 ? {} : { hasExtractedLicensingInfos: [...extracted.values()] }),
    relationships,
  };
  const head = { spdxVersion: 'SPDX-2.3', dataLicense: 'CC0-1.0', SPDXID: 'SPDXRef-DOCUMENT' };
  // §6.5 asks for a URI that no other document has; made of the content, it is the same when the SBOM is written again.
  const uuid = stableUuid(JSON.stringify([sbom.name, body]));
  const documentNamespace =
    sbom.namespace === null
      ? `urn:uuid:${uuid}`
      : `${sbom.namespace.replace(/\/$/, '')}/${encodeURIComponent(sbom.name.replaceAll(' ', '-'))}-${uuid}`;
  return `${JSON.stringify({ ...head, name: sbom.name, documentNamespace, ...body }, null, 1)}\n`;
}

function toPackage(pkg: SbomPackage, licence: (text: string | null) => string): object {
  const inside = pkg.files === null ? null : [...new Set(pkg.files.flatMap(({ licences }) => licences))].map(licence);
  return {
    SPDXID: packageId(pkg.id),
    name: pkg.name,
    ...(pkg.version === null ? {} : { versionInfo: pkg.version }),
    ...(pkg.fileName === null ? {} : { packageFileName: pkg.fileName }),
    supplier: pkg.supplier === null ? 'NOASSERTION' : `Organization: ${pkg.supplier}`,
    downloadLocation: pkg.location ?? 'NOASSERTION',
    filesAnalyzed: pkg.files !== null,
    ...(pkg.files === null
      ? {}
      : { packageVerificationCode: { packageVerificationCodeValue: verificationCode(pkg.files) } }),
    ...(pkg.digests.length === 0
      ? {}
      : {
          checksums: pkg.digests.map(({ algorithm, value }) => ({
            algorithm: algorithm.replace('-', ''),
            checksumValue: value,
          })),
        }),
    licenseConcluded: 'NOASSERTION',
    ...(inside === null
      ? {}
      : { licenseInfoFromFiles: inside.length === 0 ? ['NOASSERTION'] : inside.flatMap(simpleLicences) }),
    licenseDeclared: licence(pkg.licence),
    copyrightText: pkg.copyright ?? 'NOASSERTION',
    ...(pkg.description === null ? {} : { description: pkg.description }),
    ...(pkg.comment === null && pkg.foundIn.length === 0 ? {} : { comment: commentOf(pkg) }),
    ...(pkg.purl === null
      ? {}
      : {
          externalRefs: [{ referenceCategory: 'PACKAGE-MANAGER', referenceType: 'purl', referenceLocator: pkg.purl }],
        }),
    primaryPackagePurpose: pkg.role === 'artifact' ? 'ARCHIVE' : pkg.role === 'source' ? 'SOURCE' : 'LIBRARY',
  };
}

function commentOf({ comment, foundIn }: SbomPackage): string {
  return [comment, foundIn.length === 0 ? null : `found in ${foundIn.join(', ')}`]
    .filter((part) => part !== null)
    .join('; ');
}

/** §7.16 and §8.6 take single licences only, so an expression is taken apart. */
function simpleLicences(expression: string): string[] {
  return expression
    .replace(/[()]/g, ' ')
    .split(/\s+(?:AND|OR)\s+/i)
    .map((name) => name.trim().replace(/\s+WITH\s+.*$/i, ''))
    .filter(Boolean);
}

function toFile(
  { path, sha1, sha256, licences, copyright }: SbomFile,
  id: string,
  licence: (text: string | null) => string,
): object {
  return {
    SPDXID: id,
    fileName: `./${path}`,
    checksums: [
      { algorithm: 'SHA1', checksumValue: sha1 },
      { algorithm: 'SHA256', checksumValue: sha256 },
    ],
    licenseConcluded: 'NOASSERTION',
    licenseInfoInFiles:
      licences.length === 0 ? ['NOASSERTION'] : [...new Set(licences.map(licence).flatMap(simpleLicences))],
    copyrightText: copyright ?? 'NOASSERTION',
  };
}

function toPatch({ file, sha1, sha256 }: SbomPatch, id: string): object {
  return {
    SPDXID: id,
    fileName: `./${file}`,
    fileTypes: ['SOURCE'],
    checksums: [
      { algorithm: 'SHA1', checksumValue: sha1 },
      { algorithm: 'SHA256', checksumValue: sha256 },
    ],
    licenseConcluded: 'NOASSERTION',
    licenseInfoInFiles: ['NOASSERTION'],
    copyrightText: 'NOASSERTION',
  };
}

function toRelationship({ from, to, type }: SbomRelation): object {
  if (type === 'contains') return relation(packageId(from), 'CONTAINS', packageId(to));
  if (type === 'generated-from') return relation(packageId(from), 'GENERATED_FROM', packageId(to));
  const { type: name, isReversed } = dependencyTypes[type];
  return isReversed ? relation(packageId(to), name, packageId(from)) : relation(packageId(from), name, packageId(to));
}

function relation(spdxElementId: string, relationshipType: string, relatedSpdxElement: string): object {
  return { spdxElementId, relationshipType, relatedSpdxElement };
}

function packageId(id: string): string {
  return `SPDXRef-Package-${id}`;
}

function fileId(owner: string, index: number): string {
  return `SPDXRef-File-${owner}-${index + 1}`;
}

function patchId(owner: string, index: number): string {
  return `SPDXRef-Patch-${owner}-${index + 1}`;
}
